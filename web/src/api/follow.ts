import { clock } from '../scene/clock';
import { strays } from '../scene/taken/poses';
import { useScene } from '../scene/store';

/** Least time between two askings, milliseconds. */
const OFTEN = 150;
/** How long nothing may have come of an asking until it is asked again, milliseconds. */
const PATIENCE = 1500;

/** How far ahead of the playhead is asked while it plays, seconds: what comes is there before it is played. */
const LEAD = 0.5;

/** Bytes of poses that are held at most: a sixteenth of the memory that the machine says it has, half a gigabyte at most; some say nothing. */
export const HOLDS = Math.min(8, (navigator as { deviceMemory?: number }).deviceMemory ?? 4) * 2 ** 26;

/** True where the part of a motion round the playhead is not here. */
function isStray(): boolean {
  const { poses, compared } = useScene.getState();
  return [poses, compared?.poses ?? {}].some((all) => Object.values(all).some((one) => strays(one, clock.frame)));
}

/** Asks for the part round the playhead of motions of which only a part is here, wherever the playhead goes. */
export class Follower {
  private asked = { at: -Infinity, version: -1 };
  private waiting = 0;
  private readonly leave: () => void;

  constructor(private readonly ask: (frame: number) => void) {
    this.leave = clock.subscribe(this.look);
  }

  close(): void {
    this.leave();
    window.clearTimeout(this.waiting);
  }

  private look = (): void => {
    if (!this.waiting && isStray()) this.wait(Math.max(0, this.asked.at + OFTEN - performance.now()));
  };

  private wait(millis: number): void {
    this.waiting = window.setTimeout(() => {
      this.waiting = 0;
      if (!isStray()) return;
      const [now, version] = [performance.now(), useScene.getState().posesVersion];
      // While nothing has come of the last asking, another would only begin it anew.
      if (version === this.asked.version && now < this.asked.at + PATIENCE) {
        this.wait(OFTEN);
        return;
      }
      this.asked = { at: now, version };
      this.ask(clock.soon(LEAD));
    }, millis);
  }
}
