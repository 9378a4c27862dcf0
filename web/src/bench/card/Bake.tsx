import { Button, Checkbox, Slider } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { api, Refused } from '../../api/client';
import type { Op, Scene } from '../../api/types';
import { freshId } from '../../scene/edits';
import { portWords } from '../../scene/giving';
import { frozen } from '../../scene/taken/poses';
import { select, useScene } from '../../scene/store';
import { useLive } from '../live';
import { useSchemas } from '../schemas';
import { POSE_PORTS, againOps, bakedIds, bakedWords, bakingOps, changedByHand, keyCount, partOf, posesOf, renewingOps, type Exactness, type PosePort } from './bake';
import { NumberField } from './fields/NumberField';

/** Powers of ten between which the slider goes, metres. */
const SLIDE = { from: -5, to: -0.5 };

/** What is usual: a millimetre and half a degree. */
const USUAL: Exactness = { tolerance: 1e-3, angle: 0.5 };

function Fold({ title, children }: { title: string; children: (close: () => void) => ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <section aria-label={title} className="bake">
      <h3>
        <button type="button" className="fold" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? '▾' : '▸'} {title}
        </button>
      </h3>
      {open && children(() => setOpen(false))}
    </section>
  );
}

/** A motion as keys that stand by themselves: how exact, how many, shown as it is slid; then put in its place. */
export function Bake({ id, document }: { id: string; document: Scene }) {
  return <Fold title="Bake to keys">{(close) => <Opened id={id} document={document} close={close} />}</Fold>;
}

function Opened(within: Within) {
  // What is only shown of a bake is not made yet.
  const [made] = useState(() => posesOf(within.document, within.id).length > 0);
  return made ? <Again {...within} /> : <Anew {...within} />;
}

/** The numbers of a Pose baked again from where they came. */
export function BakeAgain({ id, document }: { id: string; document: Scene }) {
  const from = document.nodes?.[id]?.baked?.from;
  if (!from || !document.nodes?.[from]) return null;
  return <Fold title="Bake again">{(close) => <ByNumber id={id} from={from} document={document} close={close} />}</Fold>;
}

/** Keys as closely as is wished, shown as soon as they are there; until then what came last. */
function useBaking(source: string, document: Scene, first: Exactness) {
  const live = useLive();
  const [exactness, setExactness] = useState(first);
  const revision = useScene((state) => state.revision);
  const asked = useQuery({
    queryKey: ['bake', live.scene, source, revision, exactness],
    queryFn: () => api.bake(live.scene, { node: source, ...exactness }),
    placeholderData: (before) => before,
    retry: false,
  });
  // The scene as it is without what is only shown.
  const plain = useRef(document);
  const shown = useScene((state) => state.preview !== null);
  if (!shown) plain.current = document;
  useEffect(() => {
    // What it was before lies under it, so that both can be seen.
    useScene.setState((state) => ({ faint: Object.fromEntries(Object.entries(state.poses).map(([node, poses]) => [node, frozen(poses)])) }));
    return () => {
      useScene.setState({ faint: null });
      live.endPreview();
    };
  }, [live]);
  return { live, exactness, setExactness, baked: asked.data, error: asked.error, plain };
}

/** How exact, and what comes of it. */
function Exact({ exactness, onChange, error, words, children }: { exactness: Exactness; onChange: (exactness: Exactness) => void; error: Error | null; words: string | undefined; children: ReactNode }) {
  const { tolerance, angle } = exactness;
  const within = (tolerance: number) => onChange({ ...exactness, tolerance });
  const turned = (angle: number) => onChange({ ...exactness, angle });
  return (
    <div className="bake-body">
      <Slider
        size="small"
        aria-label="How exact"
        min={SLIDE.from}
        max={SLIDE.to}
        step={0.05}
        value={Math.max(SLIDE.from, Math.min(SLIDE.to, Math.log10(tolerance)))}
        onChange={(_, value) => within(Number((10 ** (value)).toPrecision(3)))}
      />
      <label>
        <span>within</span>
        <NumberField label="place within" value={tolerance} unit="metres" min={1e-9} max={1e3} onPreview={within} onKeep={within} />
      </label>
      <label>
        <span>and</span>
        <NumberField label="orientation within" value={angle} unit="degrees" min={1e-6} max={1e3} onPreview={turned} onKeep={turned} />
      </label>
      {error ? <p className="wrong">{error instanceof Refused ? error.message : 'The server did not answer: try again.'}</p> : <p className="facts mono">{words ?? 'Looking …'}</p>}
      {children}
    </div>
  );
}

function Tick({ label, checked, onChange, more }: { label: string; checked: boolean; onChange: (checked: boolean) => void; more?: string }) {
  return (
    <label className="tick-row">
      <Checkbox size="small" checked={checked} slotProps={{ input: { 'aria-label': label } }} onChange={(event) => onChange(event.target.checked)} />
      {label}
      {more && <span className="mono soft">{more}</span>}
    </label>
  );
}

interface Within {
  id: string;
  document: Scene;
  close: () => void;
}

function Anew({ id, document, close }: Within) {
  const { live, exactness, setExactness, baked, error, plain } = useBaking(id, document, USUAL);
  const [keep, setKeep] = useState(true);
  const count = baked?.things.length ?? 0;
  const ids = useMemo(() => bakedIds(count, freshId), [count]);
  useEffect(() => {
    if (baked && count > 0) live.preview(bakingOps(plain.current, id, baked, ids, { ...exactness, keep: true }));
  }, [live, baked, count, ids, id, exactness, plain]);
  const bake = () => {
    if (!baked) return;
    live.edit('bake to keys', bakingOps(plain.current, id, baked, ids, { ...exactness, keep }));
    close();
    select(ids.gathered.at(-1) ?? ids.things[0] ?? null);
  };
  return (
    <Exact exactness={exactness} onChange={setExactness} error={error} words={baked && bakedWords(baked)}>
      <Tick label="keep the source" checked={keep} onChange={setKeep} />
      <Button variant="contained" disabled={!baked || count === 0} onClick={bake}>
        Bake
      </Button>
    </Exact>
  );
}

/** Shows an edit while it is only looked at, and makes it. */
function useShown(live: ReturnType<typeof useLive>, ops: Op[] | null, close: () => void): () => void {
  useEffect(() => {
    if (ops && ops.length > 0) live.preview(ops);
    else live.endPreview();
  }, [live, ops]);
  return () => {
    if (ops && ops.length > 0) live.edit('bake again', ops);
    close();
  };
}

/** All that was baked from a node before. */
function Again({ id, document, close }: Within) {
  const made = posesOf(document, id);
  const first = document.nodes?.[made[0] ?? '']?.baked ?? USUAL;
  const { live, exactness, setExactness, baked, error, plain } = useBaking(id, document, { tolerance: first.tolerance, angle: first.angle });
  const [byHandToo, setByHandToo] = useState(false);
  const changed = posesOf(plain.current, id).reduce((sum, pose) => sum + changedByHand(plain.current.nodes?.[pose] ?? { type: 'pose', name: '' }).length, 0);
  const ops = useMemo(() => (baked ? againOps(plain.current, id, baked, exactness, byHandToo) : null), [baked, id, exactness, byHandToo, plain]);
  const again = useShown(live, ops, close);
  return (
    <Exact exactness={exactness} onChange={setExactness} error={error} words={baked && bakedWords(baked)}>
      <p className="soft">{changed === 0 ? 'Keys were baked from this before.' : `Keys were baked from this before, and ${changed === 1 ? 'one number' : `${changed} numbers`} changed by hand since.`}</p>
      {changed > 0 && <Tick label="replace these too" checked={byHandToo} onChange={setByHandToo} />}
      <Button variant="contained" disabled={!ops || ops.length === 0} onClick={again}>
        Bake again
      </Button>
    </Exact>
  );
}

/** One Pose, number by number. */
function ByNumber({ id, from, document, close }: Within & { from: string }) {
  const schema = useSchemas().find((schema) => schema.name === 'pose');
  const known = document.nodes?.[id]?.baked ?? USUAL;
  const { live, exactness, setExactness, baked, error, plain } = useBaking(from, document, { tolerance: known.tolerance, angle: known.angle });
  const node = plain.current.nodes?.[id];
  const changed = node ? changedByHand(node) : [];
  const [ports, setPorts] = useState<readonly PosePort[]>(() => POSE_PORTS.filter((port) => !changed.includes(port)));
  const fresh = baked?.things[node?.baked?.thing ?? 0]?.params;
  const ops = useMemo(() => {
    const node = plain.current.nodes?.[id];
    return baked && node ? renewingOps(id, node, baked, exactness, ports) : null;
  }, [baked, id, exactness, ports, plain]);
  const again = useShown(live, ops, close);
  const row = (port: PosePort) => {
    const [now, then] = [keyCount(partOf(node?.params, port)), fresh ? keyCount(partOf(fresh, port)) : 0];
    if (now === 0 && then === 0) return null;
    const more = `${now} → ${then}${changed.includes(port) ? ' · changed by hand' : ''}`;
    return <Tick key={port} label={portWords(schema, port)} checked={ports.includes(port)} more={more} onChange={(on) => setPorts(POSE_PORTS.filter((other) => (other === port ? on : ports.includes(other))))} />;
  };
  return (
    <Exact exactness={exactness} onChange={setExactness} error={error} words={baked && (fresh ? bakedWords(baked) : 'What it was baked from has fewer things now.')}>
      {fresh && POSE_PORTS.map(row)}
      <Button variant="contained" disabled={!ops || ops.length === 0} onClick={again}>
        Bake again
      </Button>
    </Exact>
  );
}
