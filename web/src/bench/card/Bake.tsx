import { Button, Checkbox, Slider } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { api, Refused } from '../../api/client';
import type { Scene } from '../../api/types';
import { freshId } from '../../scene/edits';
import { select, useScene } from '../../scene/store';
import { useLive } from '../live';
import { bakedIds, bakedWords, bakingOps } from './bake';
import { NumberField } from './NumberField';

/** Powers of ten between which the slider goes, metres. */
const SLIDE = { from: -5, to: -0.5 };

/** A motion as keys that stand by themselves: how exact, how many, shown as it is slid; then put in its place. */
export function Bake({ id, document }: { id: string; document: Scene }) {
  const [open, setOpen] = useState(false);
  return (
    <section aria-label="Bake" className="bake">
      <h3>
        <button type="button" className="fold" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? '▾' : '▸'} Bake to keys
        </button>
      </h3>
      {open && <Opened key={id} id={id} document={document} close={() => setOpen(false)} />}
    </section>
  );
}

function Opened({ id, document, close }: { id: string; document: Scene; close: () => void }) {
  const live = useLive();
  const [tolerance, setTolerance] = useState(1e-3);
  const [angle, setAngle] = useState(0.5);
  const [keep, setKeep] = useState(true);
  const revision = useScene((state) => state.revision);
  const asked = useQuery({
    queryKey: ['bake', live.scene, id, revision, tolerance, angle],
    queryFn: () => api.bake(live.scene, { node: id, tolerance, angle }),
    placeholderData: (before) => before,
    retry: false,
  });
  const baked = asked.data;
  const count = baked?.things.length ?? 0;
  const ids = useMemo(() => bakedIds(count, freshId), [count]);
  // The scene as it is without what is only shown.
  const plain = useRef(document);
  const shown = useScene((state) => state.preview !== null);
  if (!shown) plain.current = document;
  useEffect(() => {
    // What it was before lies under it, so that both can be seen.
    useScene.setState((state) => ({ faint: Object.fromEntries(Object.entries(state.poses).map(([node, poses]) => [node, { ...poses, numbers: poses.numbers.slice(), have: poses.have.slice() }])) }));
    return () => {
      useScene.setState({ faint: null });
      live.endPreview();
    };
  }, [live]);
  useEffect(() => {
    if (baked && count > 0) live.preview(bakingOps(plain.current, id, baked, ids, true));
  }, [live, baked, count, ids, id]);
  const bake = () => {
    if (!baked) return;
    live.edit('bake to keys', bakingOps(plain.current, id, baked, ids, keep));
    close();
    select(ids.gathered.at(-1) ?? ids.things[0] ?? null);
  };
  return (
    <div className="bake-body">
      <Slider
        size="small"
        aria-label="How exact"
        min={SLIDE.from}
        max={SLIDE.to}
        step={0.05}
        value={Math.max(SLIDE.from, Math.min(SLIDE.to, Math.log10(tolerance)))}
        onChange={(_, value) => setTolerance(Number((10 ** (value as number)).toPrecision(3)))}
      />
      <label>
        <span>within</span>
        <NumberField label="place within" value={tolerance} unit="metres" min={1e-9} max={1e3} onPreview={setTolerance} onKeep={setTolerance} />
      </label>
      <label>
        <span>and</span>
        <NumberField label="orientation within" value={angle} unit="degrees" min={1e-6} max={1e3} onPreview={setAngle} onKeep={setAngle} />
      </label>
      {asked.error ? <p className="wrong">{asked.error instanceof Refused ? asked.error.message : 'The server did not answer: try again.'}</p> : <p className="facts mono">{baked ? bakedWords(baked) : 'Looking …'}</p>}
      <label className="tick-row">
        <Checkbox size="small" checked={keep} slotProps={{ input: { 'aria-label': 'keep the source' } }} onChange={(event) => setKeep(event.target.checked)} />
        keep the source
      </label>
      <Button variant="contained" disabled={!baked || count === 0} onClick={bake}>
        Bake
      </Button>
    </div>
  );
}
