import { useSyncExternalStore } from 'react';

/** What happens where the played frames end. */
export type PlayMode = 'loop' | 'once' | 'there and back';
export const playModes: PlayMode[] = ['loop', 'once', 'there and back'];
/** Parts of full speed that may be played at. */
export const playSpeeds = [1, 0.5, 0.25, 0.1];

/** The playhead. Kept apart from the store, since it moves with every picture. */
class Clock {
  frame = 0;
  playing = false;
  mode: PlayMode = 'loop';
  speed = 1;
  /** First played frame, and the one at which playing ends; none for the whole loop. */
  range: { from: number; to: number } | null = null;
  private length = 120;
  private rate = 24;
  private last = 0;
  private request = 0;
  private back = false;
  private readonly listeners = new Set<() => void>();

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Loop length in frames, and frames per second. */
  setTiming(length: number, rate: number): void {
    this.length = length;
    this.rate = rate;
    if (this.range && this.range.to > length) this.setRange(null);
    if (this.frame >= length) this.seek(this.frame);
  }

  /** Plays only some frames, at least one; none plays all. */
  setRange(range: { from: number; to: number } | null): void {
    const from = range ? Math.max(0, Math.min(Math.round(range.from), this.length - 1)) : 0;
    const to = range ? Math.min(this.length, Math.max(from + 1, Math.round(range.to))) : this.length;
    this.range = range && (from > 0 || to < this.length) ? { from, to } : null;
    this.tell();
  }

  setMode(mode: PlayMode): void {
    this.mode = mode;
    this.back = false;
    this.tell();
  }

  setSpeed(speed: number): void {
    this.speed = speed;
    this.tell();
  }

  /** Goes to a frame, wrapped into the loop. */
  seek(frame: number): void {
    this.frame = frame - Math.floor(frame / this.length) * this.length;
    this.tell();
  }

  /** The frame it stands at, to the thousandth: what is done at the playhead is done there. */
  get here(): number {
    return Math.round(this.frame * 1000) / 1000;
  }

  /** Goes some whole frames on. */
  step(frames: number): void {
    this.stop();
    this.seek(Math.round(this.frame) + frames);
  }

  toggle(): void {
    if (this.playing) this.stop();
    else this.play();
  }

  play(): void {
    if (this.playing) return;
    const { from, to } = this.played();
    const over = this.mode === 'once' && this.frame >= to - 1;
    if (over || this.frame < from || this.frame >= to) this.seek(from);
    this.back = false;
    this.playing = true;
    this.last = performance.now();
    this.request = requestAnimationFrame(this.tick);
    this.tell();
  }

  stop(): void {
    if (!this.playing) return;
    this.playing = false;
    cancelAnimationFrame(this.request);
    this.frame = Math.floor(this.frame);
    this.tell();
  }

  private played(): { from: number; to: number } {
    return this.range ?? { from: 0, to: this.length };
  }

  /** Where it is so many frames on in the way that is played. */
  private after(frames: number): { frame: number; back: boolean; over: boolean } {
    const { from, to } = this.played();
    const long = to - from;
    switch (this.mode) {
      case 'loop':
        return { frame: from + ((((this.frame + frames - from) % long) + long) % long), back: false, over: false };
      case 'once': {
        const next = this.frame + frames;
        return { frame: Math.min(next, to - 1), back: false, over: next >= to - 1 };
      }
      case 'there and back': {
        // There to the last played frame, and back to the first.
        const last = Math.max(to - 1 - from, 1e-9);
        const done = this.back ? 2 * last - (this.frame - from) : this.frame - from;
        const now = (done + frames) % (2 * last);
        const back = now > last;
        return { frame: from + (back ? 2 * last - now : now), back, over: false };
      }
    }
  }

  private advance(frames: number): void {
    const { frame, back, over } = this.after(frames);
    this.back = back;
    this.seek(frame);
    if (over) this.stop();
  }

  /** Where it is after some seconds, if it goes on as it does. */
  soon(seconds: number): number {
    return this.playing ? this.after(seconds * this.rate * this.speed).frame : this.frame;
  }

  private tick = (now: number): void => {
    // A page that was asleep goes on where it was; it does not catch up.
    const seconds = Math.min((now - this.last) / 1000, 0.5);
    this.last = now;
    this.request = requestAnimationFrame(this.tick);
    this.advance(seconds * this.rate * this.speed);
  };

  private tell(): void {
    for (const listener of this.listeners) listener();
  }
}

export const clock = new Clock();

/** The frame on screen: while it plays a whole one, else the one it stands at. */
export const useFrame = (): number => useSyncExternalStore(clock.subscribe, () => (clock.playing ? Math.floor(clock.frame) : clock.here));
export const usePlaying = (): boolean => useSyncExternalStore(clock.subscribe, () => clock.playing);
export const usePlayMode = (): PlayMode => useSyncExternalStore(clock.subscribe, () => clock.mode);
export const usePlaySpeed = (): number => useSyncExternalStore(clock.subscribe, () => clock.speed);
export const usePlayRange = (): { from: number; to: number } | null => useSyncExternalStore(clock.subscribe, () => clock.range);
