import { useEffect, useRef } from 'react';
import { Vector3 } from 'three';
import type { Joint } from '../../../api/blocks';
import type { NodeSchema, Op, Param, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { select, selectPoints, useScene } from '../../../scene/store';
import { useLive } from '../../live';
import { isShown, useSchemas, valueOf } from '../../schemas';
import { endDrawing } from '../draw';
import { Front } from './Front';
import { Grip } from './Grip';
import { Surround } from './Surround';
import { Tube } from './Tube';
import { isClosed, isDrawn, pointsOf, pulled, rounded, type PathPoint, type Place } from '../geometry/path';
import type { Stage } from '../scene3d/stage';
import { changedPoints, unchanged } from '../geometry/transform';
import { isVisible } from '../visible';

/** Seconds of flight that the tip of a velocity stands for. */
const TIP_SECONDS = 0.25;
/** With more points than this, only those of the selected path are shown. */
const MOST_POINTS = 120;

/** What can be taken hold of in the View: points of paths and their handles, places and velocities of nodes. */
export function Handles({ stage }: { stage: Stage }) {
  const document = useScene((state) => state.document);
  const paths = useScene((state) => state.paths);
  const selected = useScene((state) => state.selected);
  const schemas = useSchemas();
  if (!document) return null;
  const visible = Object.entries(paths).filter(([node]) => isVisible(document, node) && !document.nodes?.[node]?.locked);
  const total = visible.reduce((sum, [, path]) => sum + path.header.joints.length, 0);
  const around = schemas.find((schema) => schema.name === (selected ? document.nodes?.[selected]?.type : undefined));
  const points = visible.filter(([node]) => total <= MOST_POINTS || node === selected);
  return (
    <>
      {points.map(([node, path]) => path.header.joints.map((joint, i) => <PointHandle key={`${node}/${joint.id}`} stage={stage} node={node} param={path.header.param} joint={joint} number={i + 1} document={document} />))}
      {points.map(([node, path]) => node === selected && isDrawn(document, node) && <Levers key={node} stage={stage} node={node} joints={path.header.joints} document={document} />)}
      {Object.entries(document.nodes ?? {}).map(([id, node]) => {
        const schema = schemas.find((schema) => schema.name === node.type);
        return schema && isVisible(document, id) && !node.locked ? <Velocities key={id} stage={stage} node={id} schema={schema} document={document} /> : null;
      })}
      {around && selected && !document.nodes?.[selected]?.locked && <Surround key={`round ${selected}`} stage={stage} node={selected} schema={around} document={document} />}
      {around && selected && !document.nodes?.[selected]?.locked && <Front key={`front ${selected}`} stage={stage} node={selected} schema={around} document={document} />}
      {around && selected && !document.nodes?.[selected]?.locked && <Tube key={`tube ${selected}`} stage={stage} node={selected} schema={around} document={document} />}
    </>
  );
}

function PointHandle(props: { stage: Stage; node: string; param: 'points' | 'moved'; joint: Joint; number: number; document: Scene }) {
  const { stage, node, param, joint, document } = props;
  const live = useLive();
  const chosen = useScene((state) => state.selected === node && state.points.includes(joint.id));
  const known = (document.nodes?.[node]?.params?.[param] as PathPoint[] | undefined)?.find((point) => point.id === joint.id);
  const name = document.nodes?.[node]?.name ?? '';
  const at = known?.at ?? joint.at;
  const before = useRef<PathPoint[]>([]);
  const ops = (to: Vector3): Op[] => {
    const state = useScene.getState();
    const along = state.selected === node && state.points.includes(joint.id) ? state.points : [joint.id];
    if (along.length === 1) return [put(['nodes', node, 'params', param, joint.id], { ...(known ?? { id: joint.id }), at: rounded(to) })];
    // Several go together, each as far as the one that is held from where it was before the drag.
    if (state.preview === null) {
      const own = (state.document?.nodes?.[node]?.params?.[param] as PathPoint[] | undefined) ?? [];
      const all = (state.paths[node]?.header.joints ?? []).filter((other) => along.includes(other.id));
      before.current = all.map((other) => own.find((point) => point.id === other.id) ?? { id: other.id, at: other.at });
    }
    const held = before.current.find((point) => point.id === joint.id);
    const move = to.clone().sub(new Vector3(...(held?.at ?? at)));
    return changedPoints(before.current, { ...unchanged(new Vector3()), move }).map((point) => put(['nodes', node, 'params', param, point.id], point));
  };
  const click = () => {
    const { drawing } = useScene.getState();
    if (drawing === node && pointsOf(document, node)[0]?.id === joint.id && pointsOf(document, node).length > 2) {
      live.edit('close the path', [put(['nodes', node, 'params', 'closed'], true)]);
      endDrawing();
    } else selectPoints(node, [joint.id]);
  };
  return (
    <Grip
      stage={stage}
      at={at}
      name={`Point ${props.number} of ${name}`}
      className={`point ${joint.kind}`}
      chosen={chosen}
      ops={ops}
      label="move a point"
      without={[`${node}/${joint.id}`]}
      onGrab={() => !(useScene.getState().selected === node && useScene.getState().points.includes(joint.id)) && selectPoints(node, [joint.id])}
      onAlso={() => selectPoints(node, [joint.id], true)}
      onClick={click}
    />
  );
}

/** The two handles of each selected point. */
function Levers({ stage, node, joints, document }: { stage: Stage; node: string; joints: Joint[]; document: Scene }) {
  const points = useScene((state) => state.points);
  const closed = isClosed(document, node);
  return (
    <>
      {joints.map((joint, i) => {
        if (!points.includes(joint.id)) return null;
        const sides = (['in', 'out'] as const).filter((side) => new Vector3(...joint[side]).length() > 1e-9 && (closed || !(side === 'in' && i === 0)) && (closed || !(side === 'out' && i === joints.length - 1)));
        return sides.map((side) => {
          const tip = new Vector3(...joint.at).add(new Vector3(...joint[side])).toArray();
          return (
            <span key={`${joint.id} ${side}`}>
              <Shaft stage={stage} from={joint.at} to={tip} className="lever" />
              <Grip
                stage={stage}
                at={tip}
                name={`Handle ${side === 'in' ? 'into' : 'out of'} point ${i + 1}`}
                className="lever-tip"
                ops={(to, keys) => pulled(document, node, joint, side, to.sub(new Vector3(...joint.at)), keys.altKey)}
                label="pull a handle"
                without={[`${node}/${joint.id}`]}
                onGrab={() => undefined}
              />
            </span>
          );
        });
      })}
    </>
  );
}

/** Places of nodes, and velocities as tips to be pulled. */
function Velocities({ stage, node, schema, document }: { stage: Stage; node: string; schema: NodeSchema; document: Scene }) {
  const flat = document.space === 'flat';
  const name = document.nodes?.[node]?.name ?? '';
  const shown = schema.params.filter((param) => isShown(document, node, schema, param));
  const level = (place: Place): Place => (flat ? [place[0], place[1], 0] : place);
  const set = (param: string, at: Vector3): Op[] => [put(['nodes', node, 'params', param], rounded(at))];
  const value = (param: Param) => level(valueOf(document, node, param) as Place);
  // Where something is aimed, its places are taken hold of one by one.
  const aims = schema.params.some((param) => param.role?.kind === 'aim');
  const given = (param: Param) => (valueOf(document, node, param) as unknown[]).every((part) => typeof part === 'number');
  return shown.map((param) => {
    if (aims && param.role?.kind === 'place' && given(param)) {
      return <Grip key={param.name} stage={stage} at={value(param)} name={`${param.label.charAt(0).toUpperCase()}${param.label.slice(1)} of ${name}`} className="launch-start" ops={(at) => set(param.name, at)} label={`set ${param.label}`} onGrab={() => select(node)} />;
    }
    if (param.role?.kind !== 'aim' || !given(param)) return null;
    const { from } = param.role;
    const origin = schema.params.find((other) => other.name === from);
    const start: Place = origin ? value(origin) : [0, 0, 0];
    const velocity = value(param);
    const tip: Place = [0, 1, 2].map((axis) => (start[axis] ?? 0) + (velocity[axis] ?? 0) * TIP_SECONDS) as Place;
    const pull = (at: Vector3): Op[] => set(param.name, at.sub(new Vector3(...start)).divideScalar(TIP_SECONDS));
    return (
      <span key={param.name}>
        <Shaft stage={stage} from={start} to={tip} className="aim" />
        <Grip stage={stage} at={tip} name={`Tip of ${name}`} className="launch-tip" ops={pull} label="aim the throw" about={{ place: start, flat }} onGrab={() => select(node)} />
      </span>
    );
  });
}

/** A line between two places. */
export function Shaft({ stage, from, to, className }: { stage: Stage; from: Place; to: Place; className: string }) {
  const line = useRef<SVGLineElement>(null);
  const ends = useRef({ from: new Vector3(), to: new Vector3() });
  ends.current.from.set(...from);
  ends.current.to.set(...to);
  useEffect(
    () =>
      stage.onPicture(() => {
        const [a, b] = [stage.eye.toScreen(ends.current.from), stage.eye.toScreen(ends.current.to)];
        const shown = a && b;
        line.current?.setAttribute('visibility', shown ? 'visible' : 'hidden');
        if (!shown) return;
        for (const [name, value] of Object.entries({ x1: a.x, y1: a.y, x2: b.x, y2: b.y })) line.current?.setAttribute(name, value.toFixed(1));
      }),
    [stage],
  );
  return (
    <svg className={`shaft ${className}`} aria-hidden="true">
      <line ref={line} />
    </svg>
  );
}
