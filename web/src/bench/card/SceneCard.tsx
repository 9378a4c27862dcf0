import { Button } from '@mui/material';
import { useState } from 'react';
import { api, Refused } from '../../api/client';
import type { Camera, Keep, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { rateOf } from '../../scene/rate';
import { say, select } from '../../scene/store';
import { useLive } from '../live';
import { useSchemas } from '../schemas';
import { viewer } from '../view/viewer';
import { NumberField } from './fields/NumberField';
import { FileButton, useBringIn } from './fields/files';
import { AxisFields, RowFrame } from './Row';

const help = {
  frames: 'How many frames the loop has; the frame after the last is the first again.',
  fps: 'Frames per second; fractions such as 24000/1001 are kept exactly.',
  first: 'The number that the first frame is shown with.',
  width: 'How wide the picture is in the scene.',
  height: 'How high the picture is in the scene.',
  pixels: 'How many pixels the picture is wide; lengths may be typed in px.',
  position: 'Where the camera stands.',
  target: 'What the camera looks at.',
  lens: 'Focal length in millimetres on a film 36 mm wide.',
  file: 'A picture behind everything, to match against.',
  strength: 'How strongly the picture is seen, from 0 to 1.',
};

/** What belongs to the whole scene. */
export function SceneCard({ document }: { document: Scene }) {
  const live = useLive();
  const empty = Object.keys(document.nodes ?? {}).length === 0;
  const picture = { width: 16, height: 9, pixels: 1920, ...document.picture };
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
          <RateField document={document} />
        </RowFrame>
        {number('first frame', help.first, document.first_frame ?? 0, 'none', ['first_frame'], -1e9, 1e9, true)}
      </section>
      <section aria-label="Picture edge">
        <h3>Picture edge</h3>
        {number('width', help.width, picture.width, 'metres', ['picture', 'width'], 1e-3, 1e6, false)}
        {number('height', help.height, picture.height, 'metres', ['picture', 'height'], 1e-3, 1e6, false)}
        {number('pixels', help.pixels, picture.pixels, 'none', ['picture', 'pixels'], 1, 100000, true)}
      </section>
      <Paths document={document} />
      {document.space === 'deep' && <CameraRows document={document} />}
      <BackdropRows document={document} />
    </div>
  );
}

const seconds = (frames: number, fps: number): string => `${Number((frames / fps).toFixed(3))} s`;

/** Frames per second; a change asks what stays, the frames or the seconds. */
function RateField({ document }: { document: Scene }) {
  const live = useLive();
  const [wished, setWished] = useState<string | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const choose = async (keep: Keep) => {
    if (wished === null) return;
    try {
      const { ops } = await api.rate(document, wished, keep);
      live.edit('set rate', ops);
      setWished(null);
    } catch (error) {
      setWrong(error instanceof Refused ? error.message : String(error));
    }
  };
  const [now, next] = [rateOf(document.fps), rateOf(wished ?? document.fps)];
  const ask = (text: string) => {
    const plain = text.trim();
    setWrong(null);
    if (plain === document.fps || plain === '') setWished(null);
    else if (/^\d{1,9}(\.\d{1,9})?(\/\d{1,9})?$/.test(plain) && Number.isFinite(rateOf(plain)) && rateOf(plain) >= 1 && rateOf(plain) <= 1000) setWished(plain);
    else {
      setWished(null);
      setWrong('Choose from 1 to 1000, such as 25 or 24000/1001.');
    }
  };
  return (
    <>
      <span className={`field${wrong ? ' off' : ''}`}>
        <input
          key={`${document.fps} ${wished ?? ''}`}
          className="mono"
          aria-label="rate"
          defaultValue={wished ?? document.fps}
          onBlur={(event) => ask(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter') {
              // Or else the key would go on to the button that gets the focus.
              event.preventDefault();
              event.currentTarget.blur();
            }
            if (event.key === 'Escape') {
              event.currentTarget.value = document.fps;
              event.currentTarget.blur();
            }
          }}
        />
        <span className="unit">fps</span>
      </span>
      {wrong && (
        <span className="field-wrong" role="alert">
          {wrong}
        </span>
      )}
      {wished !== null && Number.isFinite(next) && (
        <span className="asked" role="group" aria-label="What stays when the rate changes">
          <Button variant="outlined" autoFocus onClick={() => void choose('seconds')}>
            {`Keep seconds · ${Math.max(1, Math.round((document.frames * next) / now))} frames`}
          </Button>
          <Button variant="outlined" onClick={() => void choose('frames')}>
            {`Keep frames · ${seconds(document.frames, next)}`}
          </Button>
          <Button variant="outlined" onClick={() => setWished(null)}>
            Leave it
          </Button>
        </span>
      )}
    </>
  );
}

function CameraRows({ document }: { document: Scene }) {
  const live = useLive();
  const { camera } = document;
  const take = () => {
    const seen = viewer.stage?.eye.seen(camera?.lens ?? 35);
    if (seen) live.edit('place the camera', [put(['camera'], seen)]);
    else say('Turn to the free view first: a camera takes what is seen there.');
  };
  const place = (label: 'position' | 'target', at: Camera) => (
    <RowFrame label={label} help={help[label]} changed={false} tall>
      <AxisFields
        label={`camera ${label}`}
        numbers={at[label] as [number, number, number]}
        unit="metres"
        flat={false}
        onPreview={(next) => live.preview([put(['camera', label], next)])}
        onKeep={(next) => live.edit(`set camera ${label}`, [put(['camera', label], next)])}
      />
    </RowFrame>
  );
  return (
    <section aria-label="Camera">
      <h3>Camera</h3>
      {camera && (
        <>
          {place('position', camera)}
          {place('target', camera)}
          <RowFrame label="lens" help={help.lens} changed={false}>
            <NumberField
              label="camera lens"
              value={camera.lens}
              unit="none"
              min={1}
              max={10000}
              onPreview={(next) => live.preview([put(['camera', 'lens'], next)])}
              onKeep={(next) => live.edit('set camera lens', [put(['camera', 'lens'], next)])}
            />
          </RowFrame>
        </>
      )}
      <span className="buttons">
        <Button variant="outlined" onClick={take}>
          {camera ? 'Take this view' : 'Place from view'}
        </Button>
        {camera && (
          <Button variant="outlined" onClick={() => live.edit('remove the camera', [remove(['camera'])])}>
            Remove
          </Button>
        )}
      </span>
    </section>
  );
}

/** All paths by their names, with everything that uses them. */
function Paths({ document }: { document: Scene }) {
  const live = useLive();
  const schemas = useSchemas();
  const nodes = document.nodes ?? {};
  const threads = Object.values(document.threads ?? {});
  const paths = Object.entries(nodes).filter(([, node]) => schemas.find((schema) => schema.name === node.type)?.output === 'path');
  if (paths.length === 0) return null;
  return (
    <section aria-label="Paths">
      <h3>Paths</h3>
      <div className="path-list">
        {paths.map(([id, node]) => {
          const uses = threads.filter((thread) => thread.from === id);
          return (
            <div key={id}>
              <span className="field">
                <input
                  key={node.name}
                  aria-label={`name of ${node.name}`}
                  defaultValue={node.name}
                  onBlur={(event) => event.target.value !== node.name && event.target.value.trim() !== '' && live.edit(`rename ${node.name}`, [put(['nodes', id, 'name'], event.target.value)])}
                  onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
                />
                <button type="button" className="link" aria-label={`show ${node.name}`} onClick={() => select(id)}>
                  show
                </button>
              </span>
              <span className="use">
                <span className="soft">{uses.length > 0 ? 'used by' : 'used by nothing yet'}</span>
                {uses.map((thread) => (
                  <button key={`${thread.to}/${thread.port}`} type="button" className="link" onClick={() => select(thread.to)}>
                    {nodes[thread.to]?.name}
                  </button>
                ))}
              </span>
            </div>
          );
        })}
      </div>
    </section>
  );
}

function BackdropRows({ document }: { document: Scene }) {
  const live = useLive();
  const bring = useBringIn();
  const { backdrop } = document;
  return (
    <section aria-label="Backdrop">
      <h3>Backdrop</h3>
      <RowFrame label="picture" help={help.file} changed={false}>
        <FileButton label="backdrop picture" media="picture" name={backdrop?.file ?? ''} onFile={(file) => void bring(file, 'picture', (name) => [put(['backdrop'], { file: name, strength: backdrop?.strength ?? 0.6 })])} />
      </RowFrame>
      {backdrop && (
        <>
          <RowFrame label="strength" help={help.strength} changed={false}>
            <NumberField
              label="strength"
              value={backdrop.strength}
              unit="none"
              min={0}
              max={1}
              onPreview={(next) => live.preview([put(['backdrop', 'strength'], next)])}
              onKeep={(next) => live.edit('set strength', [put(['backdrop', 'strength'], next)])}
            />
          </RowFrame>
          {document.space === 'deep' && <p className="soft">Seen when you look through the camera.</p>}
          <span className="buttons">
            <Button variant="outlined" onClick={() => live.edit('remove the backdrop', [remove(['backdrop'])])}>
              Remove
            </Button>
          </span>
        </>
      )}
    </section>
  );
}
