import { Button } from '@mui/material';
import { Vector3 } from 'three';
import type { Op, Scene } from '../../../api/types';
import { put, remove } from '../../../scene/edits';
import { select, selectPoints, useScene } from '../../../scene/store';
import { NumberField } from '../../card/fields/NumberField';
import { useLive } from '../../live';
import { bases, planeThrough, type WorkPlane } from '../geometry/plane';
import { divided, inserted, isClosed, isDrawn, joined, pointsOf, rounded, turnedRound, withKind, type PathPoint, type Place } from '../geometry/path';
import { useView } from '../settings';

/** What is to be done with the points of a drawn path, from buttons and from keys. */
export function usePathWork() {
  const live = useLive();
  const edit = (label: string, ops: Op[] | null | undefined) => {
    if (ops && ops.length > 0) live.edit(label, ops);
  };
  const now = () => {
    const { document, selected, points, point, paths, chosen } = useScene.getState();
    return document && isDrawn(document, selected) && !document.nodes?.[selected]?.locked ? { document, node: selected, points, point, joints: paths[selected]?.header.joints ?? [], chosen } : null;
  };
  return {
    kind: (kind: 'smooth' | 'corner') => {
      const at = now();
      if (at) edit(`make ${kind}`, withKind(at.document, at.node, at.points.length > 0 ? at.points : pointsOf(at.document, at.node).map((point) => point.id), kind));
    },
    /** Smooth points become corners, and the other way round. */
    toggleKind: () => {
      const at = now();
      if (!at || at.points.length === 0) return;
      const corner = pointsOf(at.document, at.node).find((point) => point.id === at.point)?.kind === 'corner';
      edit(corner ? 'make smooth' : 'make corner', withKind(at.document, at.node, at.points, corner ? 'smooth' : 'corner'));
    },
    /** A point in the middle of the piece after the chosen point. */
    insert: () => {
      const at = now();
      if (!at) return;
      const index = at.joints.findIndex((joint) => joint.id === at.point);
      const last = at.joints.length - (isClosed(at.document, at.node) ? 1 : 2);
      const { ops, id } = inserted(at.document, at.node, at.joints, Math.min(Math.max(index, 0), last), 0.5);
      edit('insert a point', ops);
      if (ops.length > 0) selectPoints(at.node, [id]);
    },
    divide: () => {
      const at = now();
      const done = at?.point ? divided(at.document, at.node, at.joints, at.point) : null;
      if (!done) return;
      edit('divide the path', done.ops);
      if (done.second) select(done.second);
    },
    close: () => {
      const at = now();
      if (!at) return;
      const closed = isClosed(at.document, at.node);
      edit(closed ? 'open the path' : 'close the path', [put(['nodes', at.node, 'params', 'closed'], !closed)]);
    },
    turnRound: () => {
      const at = now();
      if (at) edit('turn the path round', [put(['nodes', at.node, 'params', 'points'], turnedRound(pointsOf(at.document, at.node)))]);
    },
    join: () => {
      const { document, chosen } = useScene.getState();
      const [a, b] = chosen;
      if (!document || !a || !b || !isDrawn(document, a) || !isDrawn(document, b)) return;
      edit('join two paths', joined(document, a, b));
      select(a);
    },
    remove: () => {
      const at = now();
      if (!at || at.points.length === 0) return;
      edit(at.points.length > 1 ? 'remove points' : 'remove a point', at.points.map((id) => remove(['nodes', at.node, 'params', 'points', id])));
      useScene.setState({ points: [], point: null });
    },
  };
}

/** What is selected of a path: exact place, and what can be done with it. */
export function PathStrip() {
  const live = useLive();
  const work = usePathWork();
  const document = useScene((state) => state.document);
  const selected = useScene((state) => state.selected);
  const chosen = useScene((state) => state.chosen);
  const points = useScene((state) => state.points);
  const path = useScene((state) => (state.selected ? state.paths[state.selected] : undefined));
  if (!document || !selected) return null;
  const drawn = isDrawn(document, selected);
  const locked = document.nodes?.[selected]?.locked;
  const joint = path?.header.joints.find((joint) => joint.id === points.at(-1));
  if (locked || (!drawn && !joint)) return null;
  const two = chosen.length === 2 && chosen.every((id) => isDrawn(document, id));
  const button = (title: string, key: string, act: () => void, name = title) => (
    <Button variant="outlined" title={key ? `${name} · ${key}` : name} aria-label={name} onClick={act}>
      {title}
    </Button>
  );
  return (
    <div className="strip" role="group" aria-label="Path">
      {joint && path ? (
        <>
          <span className="strip-name">{points.length > 1 ? `${points.length} points` : `Point ${path.header.joints.indexOf(joint) + 1}`}</span>
          {points.length === 1 && <ExactPlace node={selected} param={path.header.param} id={joint.id} at={joint.at} document={document} preview={(ops) => live.preview(ops)} keep={(ops) => live.edit('place a point', ops)} />}
          {drawn && (
            <>
              {button('Smooth', 'S', () => work.kind('smooth'), 'Make smooth')}
              {button('Corner', 'S', () => work.kind('corner'), 'Make corner')}
              {points.length === 1 && button('Insert', 'I', work.insert, 'Insert a point')}
              {points.length === 1 && button('Divide', 'X', work.divide, 'Divide here')}
              {button('Delete', 'Del', work.remove, 'Delete points')}
            </>
          )}
        </>
      ) : (
        <>
          <span className="strip-name">{two ? '2 paths' : 'Whole path'}</span>
          {two ? (
            button('Join', 'J', work.join)
          ) : (
            <>
              {button('All smooth', '', () => work.kind('smooth'))}
              {button('All corner', '', () => work.kind('corner'))}
              {button(isClosed(document, selected) ? 'Open' : 'Close', 'C', work.close, isClosed(document, selected) ? 'Open the path' : 'Close the path')}
              {button('Turn round', '', work.turnRound)}
            </>
          )}
        </>
      )}
    </div>
  );
}

/** The place of a point in numbers. */
function ExactPlace(props: { node: string; param: 'points' | 'moved'; id: string; at: Place; document: Scene; preview: (ops: Op[]) => void; keep: (ops: Op[]) => void }) {
  const { node, param, id, document } = props;
  const known = (document.nodes?.[node]?.params?.[param] as PathPoint[] | undefined)?.find((point) => point.id === id);
  const at = known?.at ?? props.at;
  const names = document.space === 'flat' ? ['x', 'y'] : ['x', 'y', 'z'];
  const ops = (axis: number, value: number): Op[] => {
    const next = at.map((x, i) => (i === axis ? value : x)) as Place;
    return [put(['nodes', node, 'params', param, id], { ...(known ?? { id }), at: rounded(new Vector3(...next)) })];
  };
  return (
    <span className="exact">
      {names.map((name, axis) => (
        <span key={name} className={`axis axis-${name}`}>
          <span className="axis-name" aria-hidden="true">
            {name}
          </span>
          <NumberField label={`point ${name}`} value={at[axis] ?? 0} unit="metres" min={-1e9} max={1e9} onPreview={(next) => props.preview(ops(axis, next))} onKeep={(next) => props.keep(ops(axis, next))} />
        </span>
      ))}
    </span>
  );
}

/** The work plane in words and numbers, while it is drawn on or asked for. */
export function PlaneStrip({ planing, onDone }: { planing: boolean; onDone: () => void }) {
  const plane = useView((state) => state.plane);
  const next = useView((state) => state.next);
  const drawing = useScene((state) => state.drawing);
  const points = useScene((state) => state.points);
  const path = useScene((state) => (state.selected ? state.paths[state.selected] : undefined));
  const flat = useScene((state) => state.document?.space === 'flat');
  const set = (change: Partial<WorkPlane>) => useView.setState({ plane: { ...plane, ...change } });
  const places = points.map((id) => path?.header.joints.find((joint) => joint.id === id)).filter((joint) => joint !== undefined);
  const through = () => {
    const [a, b, c] = places.map((joint) => new Vector3(...joint.at));
    if (a && b && c) {
      const found = planeThrough(a, b, c);
      if (found) useView.setState({ plane: found });
    } else if (a) set({ through: rounded(a) });
  };
  const height = plane.base === 'ground' ? 1 : plane.base === 'front' ? 2 : 0;
  const number = (label: string, value: number, unit: 'metres' | 'degrees', keep: (next: number) => void) => (
    <label className="strip-number">
      <span>{label}</span>
      <NumberField label={`plane ${label}`} value={value} unit={unit} min={unit === 'degrees' ? -360 : -1e6} max={unit === 'degrees' ? 360 : 1e6} onPreview={keep} onKeep={keep} />
    </label>
  );
  return (
    <div className="strip plane-strip" role="group" aria-label="Work plane">
      {!flat && planing && (
        <>
          <span className="strip-choices" role="group" aria-label="Plane">
            {bases.map((base) => (
              <button key={base} type="button" className="chip" aria-pressed={plane.base === base} onClick={() => set({ base })}>
                {{ ground: 'Ground', front: 'Front', side: 'Side' }[base]}
              </button>
            ))}
          </span>
          {number('offset', plane.through[height] ?? 0, 'metres', (value) => set({ through: plane.through.map((x, i) => (i === height ? value : x)) as Place }))}
          {number('tilt', plane.tilt, 'degrees', (tilt) => set({ tilt }))}
          {number('heading', plane.heading, 'degrees', (heading) => set({ heading }))}
          <Button variant="outlined" disabled={places.length !== 1 && places.length !== 3} title="Select one point, or three" onClick={through}>
            Through points
          </Button>
        </>
      )}
      {drawing !== null && (
        <span className="strip-choices" role="group" aria-label="Next point">
          {(['smooth', 'corner'] as const).map((kind) => (
            <button key={kind} type="button" className="chip" aria-pressed={next === kind} onClick={() => useView.setState({ next: kind })}>
              {kind === 'smooth' ? 'Smooth' : 'Corner'}
            </button>
          ))}
        </span>
      )}
      <Button variant="outlined" onClick={onDone}>
        Done
      </Button>
    </div>
  );
}
