import type { Scene } from '../../api/types';
import { put } from '../../scene/edits';
import { useLive } from '../live';
import { NumberField } from './NumberField';
import { RowFrame } from './Row';

const help = {
  frames: 'How many frames the loop has; the frame after the last is the first again.',
  fps: 'Frames per second; fractions such as 24000/1001 are kept exactly.',
  first: 'The number that the first frame is shown with.',
  width: 'How wide the picture is in the scene.',
  height: 'How high the picture is in the scene.',
};

/** What belongs to the whole scene. */
export function SceneCard({ document }: { document: Scene }) {
  const live = useLive();
  const empty = Object.keys(document.nodes ?? {}).length === 0;
  const picture = document.picture ?? { width: 16, height: 9 };
  const number = (label: string, text: string, value: number, unit: 'frames' | 'metres' | 'none', at: string[], min: number, max: number, whole: boolean) => (
    <RowFrame label={label} help={text} changed={false}>
      <NumberField
        label={label}
        value={value}
        unit={unit}
        min={min}
        max={max}
        whole={whole}
        onPreview={(next) => live.preview([put(at, next)])}
        onKeep={(next) => live.edit(`set ${label}`, [put(at, next)])}
      />
    </RowFrame>
  );
  return (
    <div className="card-body">
      <header>
        <p className="soft">{document.space === 'flat' ? 'Flat scene' : 'Deep scene'}</p>
        <h2>{document.name}</h2>
        {empty ? (
          <p>Begin with a path: press P in the View and click a few points. Or add a Launch in the Weave with N.</p>
        ) : (
          <p className="soft">Select a slip in the Weave, or a thing or a path in the View, to see its numbers here.</p>
        )}
      </header>
      <section aria-label="Time">
        <h3>Time</h3>
        {number('loop length', help.frames, document.frames, 'frames', ['frames'], 1, 100000, true)}
        <RowFrame label="rate" help={help.fps} changed={false}>
          <FpsField fps={document.fps} onKeep={(fps) => live.edit('set rate', [put(['fps'], fps)])} />
        </RowFrame>
        {number('first frame', help.first, document.first_frame ?? 0, 'none', ['first_frame'], -1e9, 1e9, true)}
      </section>
      <section aria-label="Picture edge">
        <h3>Picture edge</h3>
        {number('width', help.width, picture.width, 'metres', ['picture', 'width'], 1e-3, 1e6, false)}
        {number('height', help.height, picture.height, 'metres', ['picture', 'height'], 1e-3, 1e6, false)}
      </section>
    </div>
  );
}

function FpsField({ fps, onKeep }: { fps: string; onKeep: (fps: string) => void }) {
  return (
    <span className="field">
      <input
        key={fps}
        className="mono"
        aria-label="rate"
        defaultValue={fps}
        onBlur={(event) => event.target.value.trim() !== fps && onKeep(event.target.value.trim())}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
      />
      <span className="unit">fps</span>
    </span>
  );
}

