import { Button, MenuItem, Select, Tooltip } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { Live } from '../api/live';
import { api } from '../api/client';
import type { Look, Wanted } from '../api/types';
import { ModeButton } from '../bench/Bar';
import { NumberField } from '../bench/card/fields/NumberField';
import { FileList, FilesButton } from '../files/Files';
import { useFileActs, useFiles } from '../files/files';
import { Link } from '../route';
import { useScene } from '../scene/store';
import { length } from './length';
import { Plot } from './Plot';
import './handoff.css';

type Form = keyof typeof forms;

const forms = { glb: 'GLB', usdz: 'USD, packed', usda: 'USD, as text', bvh: 'BVH, one thing', csv: 'CSV, every step', contacts: 'CSV, contacts' };
/** Files of the scene that stand beside what the next one is to be. */
const SHOWN = 3;
const keyings = ['within tolerance', 'every step'] as const;

/** Keys and files: what, which frames, which form, how exact. */
export function Handoff({ scene }: { scene: string }) {
  const [live, setLive] = useState<Live | null>(null);
  useEffect(() => {
    const own = new Live(scene);
    setLive(own);
    return () => own.close();
  }, [scene]);
  const withheld = useScene((state) => state.withheld);
  const document = useScene((state) => state.document);
  const ends = useScene((state) => state.ends);
  const told = useScene((state) => state.endsKnown);
  const outputs = ends.filter((end) => end.output);
  const [node, setNode] = useState<string | null>(null);
  const chosen = outputs.find((end) => end.node === node) ?? outputs[0];
  useEffect(() => {
    globalThis.document.title = document ? `Hand-off · ${document.name}` : 'Hand-off';
  }, [document]);
  return (
    <div className="page">
      <header className="bar">
        <Link to={`/bench/${scene}`} className="back">
          ◂ Bench
        </Link>
        <h1>{document ? `Hand-off · ${document.name}` : 'Hand-off'}</h1>
        <span className="gap" />
        <FilesButton />
        <ModeButton />
      </header>
      {chosen && document ? (
        <Sheet key={chosen.node} scene={scene} node={chosen.node} things={chosen.things} frames={document.frames} orbit={chosen.seam.orbit ?? 1} first={document.first_frame ?? 0} fileName={document.name} outputName={chosen.name}>
          {outputs.map((end) => (
            <button key={end.node} type="button" className="output" aria-pressed={end.node === chosen.node} onClick={() => setNode(end.node)}>
              <strong>{end.name}</strong>
              <span className="soft">{`${end.things === 1 ? '1 thing' : `${end.things} things`} · ${end.seam.closes ? 'closes' : 'ends'}${end.contact_count ? ` · ${end.contact_count === 1 ? '1 contact' : `${end.contact_count} contacts`}` : ''}`}</span>
            </button>
          ))}
        </Sheet>
      ) : (
        <main className="waiting nothing-yet">
          {withheld ? (
            <>
              <p role="status">{withheld}</p>
              <Button variant="contained" onClick={() => live?.workOut()}>
                Work it out
              </Button>
            </>
          ) : (
            <p>{told ? 'There is nothing to hand off yet: thread a motion to an Output on the bench.' : 'Opening …'}</p>
          )}
          <SceneFiles scene={scene} />
        </main>
      )}
    </div>
  );
}

interface SheetProps {
  scene: string;
  node: string;
  things: number;
  frames: number;
  /** After how many loops every thing is back in its own place. */
  orbit: number;
  first: number;
  fileName: string;
  outputName: string;
  children: ReactNode;
}

function Sheet(props: SheetProps) {
  const { scene, node, frames, first, orbit } = props;
  const [form, setForm] = useState<Form>('glb');
  const [keying, setKeying] = useState<(typeof keyings)[number]>('within tolerance');
  const [from, setFrom] = useState(first);
  const [to, setTo] = useState(first + frames);
  const [step, setStep] = useState(1);
  const [tolerance, setTolerance] = useState(0.001);
  const [angle, setAngle] = useState(0.05);
  const [axis, setAxis] = useState(1);
  const [object, setObject] = useState(0);
  const keyed = form === 'glb' || form === 'usdz' || form === 'usda';
  const reduced = keyed && keying === 'within tolerance';
  const wanted: Wanted = useMemo(() => ({ node, from, to, step, object, form, ...(reduced ? { tolerance, angle } : {}) }), [node, from, to, step, object, form, reduced, tolerance, angle]);
  const look = useQuery({ queryKey: ['handoff', scene, wanted], queryFn: () => api.look(scene, wanted), placeholderData: (known) => known, retry: false });
  const ordered: Wanted = { ...wanted, object: form === 'bvh' ? object : undefined };
  const { order } = useFileActs();
  const goal = form === 'contacts' ? '--contacts contacts.csv' : `--to ${form === 'csv' ? 'poses' : 'motion'}.${form}`;
  const command = `zickzack bake SCENE.json ${goal} --output "${props.outputName}" --frames ${from}..${to}${form === 'bvh' ? ` --thing ${object + 1}` : ''}${step === 1 ? '' : ` --step ${step}`}${reduced ? ` --tolerance ${tolerance} --angle ${angle}` : ''}`;
  return (
    <main className="handoff">
      <aside className="outputs">
        <h2>Outputs</h2>
        {props.children}
      </aside>
      <section className="plots" aria-label="Keys">
        {look.error ? <p className="wrong">{look.error.message}</p> : look.data ? <Shown look={look.data} axis={axis} tolerance={reduced ? tolerance : null} dense={!reduced || form !== 'glb'} object={object} /> : <p className="soft">Counting keys …</p>}
        {reduced && <Tolerance name="tolerance" value={tolerance} powers={[-5, -1]} words={length} onChange={setTolerance} />}
        {reduced && <Tolerance name="turns within" value={angle} powers={[-3, 1]} words={(angle) => `${angle}°`} onChange={setAngle} />}
        <div className="choose">
          <label>
            <span>channel</span>
            <Select size="small" value={axis} onChange={(event) => setAxis(Number(event.target.value))} SelectDisplayProps={{ 'aria-label': 'channel' }}>
              {['position x', 'position y', 'position z'].map((name, i) => (
                <MenuItem key={name} value={i}>
                  {name}
                </MenuItem>
              ))}
            </Select>
          </label>
          {props.things > 1 && (
            <label>
              <span>thing</span>
              <NumberField label="thing" value={object + 1} unit="none" min={1} max={props.things} whole onPreview={() => undefined} onKeep={(next) => setObject(next - 1)} />
            </label>
          )}
        </div>
      </section>
      <aside className="files">
        <h2>File</h2>
        <div className="row">
          <span className="row-name">form</span>
          <div className="row-value">
            <Select size="small" fullWidth value={form} onChange={(event) => setForm(event.target.value)} SelectDisplayProps={{ 'aria-label': 'form' }}>
              {Object.entries(forms).map(([key, name]) => (
                <MenuItem key={key} value={key} disabled={key === 'bvh' && look.data?.jointed === false} title={key === 'bvh' ? 'The joints of what walks, is bent or plays clips' : undefined}>
                  {name}
                </MenuItem>
              ))}
            </Select>
          </div>
        </div>
        {keyed && (
          <div className="row">
            <span className="row-name">keys</span>
            <div className="row-value">
              <Select size="small" fullWidth value={keying} onChange={(event) => setKeying(event.target.value)} SelectDisplayProps={{ 'aria-label': 'keys' }}>
                {keyings.map((name) => (
                  <MenuItem key={name} value={name}>
                    {name}
                  </MenuItem>
                ))}
              </Select>
            </div>
          </div>
        )}
        <FrameRow label="first frame" value={from} onKeep={setFrom} />
        <FrameRow label="last frame" value={to} onKeep={setTo} />
        {orbit > 1 && (
          <p className="soft orbit">
            {`Things trade places: all are back in their own after ${orbit} loops.`}
            <Button variant="outlined" aria-pressed={from === first && to === first + frames * orbit} onClick={() => [setFrom(first), setTo(first + frames * orbit)]}>
              {`All ${orbit} loops`}
            </Button>
          </p>
        )}
        {!reduced && form !== 'contacts' && (
          <div className="row">
            <span className="row-name">step</span>
            <div className="row-value">
              <NumberField label="step" value={step} unit="frames" min={0.001} max={1e6} onPreview={setStep} onKeep={setStep} />
            </div>
          </div>
        )}
        <Button variant="contained" className="write" data-testid="write" disabled={order.isPending} onClick={() => order.mutate({ scene, wanted: ordered })}>
          Write file
        </Button>
        {order.error && <p className="wrong">{order.error.message}</p>}
        {look.data?.together && <p className="soft">So many things stand together in USD: their keys are at every step, straight from one to the next.</p>}
        {look.data && <LeftOut words={look.data.left_out} />}
        <SceneFiles scene={scene} />
        <h2>Channels</h2>
        {look.data && <Channels look={look.data} />}
        <p className="soft">The keys stand on their own: what made the motion can be deleted, and the motion stays.</p>
        <CopyButton text={command} />
      </aside>
    </main>
  );
}

/** Files of the scene that are on their way or have come, also while there is nothing else to show. */
function SceneFiles({ scene }: { scene: string }) {
  const known = useFiles().data;
  const own = known?.files.filter((file) => file.scene === scene) ?? [];
  if (!known || own.length === 0) return null;
  return (
    <section aria-label="Files of this scene">
      <FileList files={own.slice(0, SHOWN)} workers={known.workers} />
      {own.length > SHOWN && <p className="soft">{`${own.length - SHOWN} more under Files, above.`}</p>}
    </section>
  );
}

/** What of the motion the file does not say. */
function LeftOut({ words }: { words: string[] }) {
  if (words.length === 0) return null;
  return <p className="soft" data-testid="left-out">{`Not in this file: ${words.join(', ')}.`}</p>;
}

/** The same hand-off for the command line. */
function CopyButton({ text }: { text: string }) {
  const [copied, setCopied] = useState<string | null>(null);
  const copy = () =>
    navigator.clipboard.writeText(text).then(
      () => setCopied('Copied'),
      () => setCopied('Copying is not allowed here'),
    );
  useEffect(() => setCopied(null), [text]);
  return (
    <Tooltip title={text} placement="left">
      <Button variant="outlined" fullWidth onClick={() => void copy()}>
        {copied ?? 'Copy command line'}
      </Button>
    </Tooltip>
  );
}

function FrameRow({ label, value, onKeep }: { label: string; value: number; onKeep: (value: number) => void }) {
  return (
    <div className="row">
      <span className="row-name">{label}</span>
      <div className="row-value">
        <NumberField label={label} value={value} unit="none" min={-1e6} max={1e6} onPreview={onKeep} onKeep={onKeep} />
      </div>
    </div>
  );
}

interface ToleranceProps {
  name: string;
  value: number;
  /** Powers of ten between which it goes. */
  powers: [number, number];
  words: (value: number) => string;
  onChange: (value: number) => void;
}

function Tolerance({ name, value, powers, words, onChange }: ToleranceProps) {
  const [shown, setShown] = useState(value);
  return (
    <label className="tolerance">
      <span>{name}</span>
      <input
        type="range"
        min={powers[0]}
        max={powers[1]}
        step={0.05}
        value={Math.log10(shown)}
        aria-valuetext={words(shown)}
        onChange={(event) => setShown(Number((10 ** Number(event.target.value)).toPrecision(3)))}
        onPointerUp={() => onChange(shown)}
        onKeyUp={() => onChange(shown)}
      />
      <span className="mono">{words(shown)}</span>
    </label>
  );
}

function Shown({ look, axis, tolerance, dense, object }: { look: Look; axis: number; tolerance: number | null; dense: boolean; object: number }) {
  const plot = look.plots[axis];
  if (!plot) return null;
  const keys = plot.keys.length;
  const frames = plot.frames.length;
  let [worst, at] = [0, plot.frames[0] ?? 0];
  plot.truth.forEach((value, i) => {
    const off = Math.abs(value - (plot.keyed[i] ?? value));
    if (off > worst) [worst, at] = [off, plot.frames[i] ?? 0];
  });
  return (
    <>
      <p className="plot-title">
        <strong>{plot.name}</strong>
        <span className="soft">{`thing ${object + 1} · ${Math.floor((frames - 1) / 4) + 1} keys before · `}</span>
        <b data-testid="keys-after">{keys === 1 ? 'still' : `${keys} after`}</b>
        {!dense && <span className="soft"> · contacts kept exactly</span>}
      </p>
      <Plot plot={plot} />
      <p className="plot-title">
        <strong>Error</strong>
        <span className="soft">{`along this axis at most ${length(worst)} at frame ${at.toFixed(2)} of those drawn`}</span>
      </p>
      <Plot plot={plot} error={tolerance ?? worst} />
    </>
  );
}

function Channels({ look }: { look: Look }) {
  return (
    <table className="channels">
      <thead>
        <tr>
          <th scope="col">
            <span className="hidden">channel</span>
          </th>
          <th scope="col">before</th>
          <th scope="col">after</th>
          <th scope="col" title="Largest distance and largest angle from the motion, looked at between frames and beside every key">most off</th>
        </tr>
      </thead>
      <tbody>
        {look.channels.map((channel) => (
          <tr key={channel.name}>
            <th scope="row" title={channel.name === 'joints' ? 'What hangs on joints: the most that a corner of it is off, at every quarter of a frame' : undefined}>
              {channel.name}
            </th>
            <td className="mono">{channel.before}</td>
            <td className="mono">{channel.after === 0 ? 'still' : channel.after}</td>
            <td className="mono">
              {channel.unit === 'm' ? length(channel.error) : `${Number(channel.error.toPrecision(2))}°`}
              {channel.error > 0 && (
                <>
                  <br />
                  <span className="soft">{`at ${channel.frame.toFixed(2)}`}</span>
                  {look.things > 1 && (
                    <>
                      <br />
                      <span className="soft">{`thing ${channel.thing + 1}`}</span>
                    </>
                  )}
                </>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
