import { useEffect, useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import { Vector3, type Plane } from 'three';
import type { Joint } from '../../api/blocks';
import type { Op, Scene } from '../../api/types';
import { put } from '../../scene/edits';
import { select, useScene } from '../../scene/store';
import { useLive } from '../live';
import type { Stage } from './stage';

/** Seconds of flight that the tip of a launch stands for. */
const TIP_SECONDS = 0.25;
/** With more points than this, only those of the selected path are shown. */
const MOST_POINTS = 120;

type Place = [number, number, number];

const rounded = (at: Vector3): Place => at.toArray().map((x) => Number(x.toFixed(5))) as Place;

/** What can be taken hold of in the View: points of paths, starts and tips of launches. */
export function Handles({ stage }: { stage: Stage }) {
  const document = useScene((state) => state.document);
  const paths = useScene((state) => state.paths);
  const selected = useScene((state) => state.selected);
  if (!document) return null;
  const total = Object.values(paths).reduce((sum, path) => sum + path.header.joints.length, 0);
  const points = Object.entries(paths).filter(([node]) => total <= MOST_POINTS || node === selected);
  const launches = Object.entries(document.nodes ?? {}).filter(([, node]) => node.type === 'launch');
  return (
    <>
      {points.map(([node, path]) => path.header.joints.map((joint, i) => <PointHandle key={`${node}/${joint.id}`} stage={stage} node={node} param={path.header.param} joint={joint} number={i + 1} document={document} />))}
      {launches.map(([node]) => (
        <LaunchHandles key={node} stage={stage} node={node} document={document} />
      ))}
    </>
  );
}

interface GripProps {
  stage: Stage;
  at: Place;
  name: string;
  className: string;
  chosen?: boolean;
  /** What moving it to a place changes. */
  ops: (at: Vector3) => Op[];
  label: string;
  onGrab: () => void;
  children?: ReactNode;
}

/** Something at a place in space that can be dragged, and nudged with the arrow keys. */
function Grip(props: GripProps) {
  const { stage, at, ops, label } = props;
  const live = useLive();
  const element = useRef<HTMLButtonElement>(null);
  const place = useRef(new Vector3());
  place.current.set(...at);
  const drag = useRef<{ plane: Plane; grip: Vector3; moved: boolean } | null>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => place.current) : undefined), [stage]);
  useEffect(() => stage.invalidate(), [stage, at]);

  const target = (event: PointerEvent): Vector3 | null => {
    const held = drag.current;
    const hit = held && stage.onPlane(event.clientX, event.clientY, held.plane);
    return held && hit ? hit.sub(held.grip) : null;
  };
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    props.onGrab();
    const plane = stage.dragPlane(place.current.clone(), event.shiftKey);
    const hit = stage.onPlane(event.clientX, event.clientY, plane);
    if (hit) drag.current = { plane, grip: hit.sub(place.current), moved: false };
  };
  const move = (event: PointerEvent<HTMLButtonElement>) => {
    const to = target(event);
    if (!to || !drag.current) return;
    drag.current.moved = true;
    live.preview(ops(to));
  };
  const up = (event: PointerEvent<HTMLButtonElement>) => {
    const to = target(event);
    const moved = drag.current?.moved;
    drag.current = null;
    if (to && moved) live.edit(label, ops(to));
  };
  const press = (event: KeyboardEvent) => {
    const step = stage.metresPerPixel() * (event.shiftKey ? 20 : 4);
    const by: Record<string, Place> = { ArrowLeft: [-1, 0, 0], ArrowRight: [1, 0, 0], ArrowUp: [0, 0, -1], ArrowDown: [0, 0, 1], PageUp: [0, 1, 0], PageDown: [0, -1, 0] };
    const direction = by[event.key];
    if (!direction) return;
    event.preventDefault();
    event.stopPropagation();
    const flat = stage.dragPlane(place.current.clone(), false).normal.y < 0.5;
    const along = flat && (event.key === 'ArrowUp' || event.key === 'ArrowDown') ? new Vector3(0, -direction[2], 0) : new Vector3(...direction);
    live.edit(label, ops(place.current.clone().addScaledVector(along, step)));
  };
  return (
    <button
      ref={element}
      type="button"
      className={`handle ${props.className}${props.chosen ? ' chosen' : ''}`}
      aria-label={`${props.name} at ${at.map((x) => x.toFixed(2)).join(', ')} m`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={() => {
        drag.current = null;
        live.endPreview();
      }}
      onFocus={props.onGrab}
      onKeyDown={press}
    >
      {props.children}
    </button>
  );
}

function PointHandle(props: { stage: Stage; node: string; param: 'points' | 'moved'; joint: Joint; number: number; document: Scene }) {
  const { stage, node, param, joint, document } = props;
  const chosen = useScene((state) => state.selected === node && state.point === joint.id);
  const known = (document.nodes?.[node]?.params?.[param] as { id: string; at: Place }[] | undefined)?.find((point) => point.id === joint.id);
  const name = document.nodes?.[node]?.name ?? '';
  const ops = (at: Vector3): Op[] => [put(['nodes', node, 'params', param, joint.id], { ...(known ?? { id: joint.id }), at: rounded(at) })];
  return (
    <Grip
      stage={stage}
      at={known?.at ?? joint.at}
      name={`Point ${props.number} of ${name}`}
      className={`point ${joint.kind}`}
      chosen={chosen}
      ops={ops}
      label="move a point"
      onGrab={() => select(node, joint.id)}
    />
  );
}

function LaunchHandles({ stage, node, document }: { stage: Stage; node: string; document: Scene }) {
  const params = document.nodes?.[node]?.params ?? {};
  const start = (params['start'] as Place | undefined) ?? [0, 1, 0];
  const velocity = (params['velocity'] as Place | undefined) ?? [3, 4, 0];
  const flat = document.space === 'flat';
  const from: Place = flat ? [start[0], start[1], 0] : start;
  const tip: Place = [from[0] + velocity[0] * TIP_SECONDS, from[1] + velocity[1] * TIP_SECONDS, from[2] + (flat ? 0 : velocity[2] * TIP_SECONDS)];
  const name = document.nodes?.[node]?.name ?? '';
  const set = (param: string, at: Vector3): Op[] => [put(['nodes', node, 'params', param], rounded(at))];
  const pull = (at: Vector3): Op[] => set('velocity', at.sub(new Vector3(...from)).divideScalar(TIP_SECONDS));
  return (
    <>
      <Shaft stage={stage} from={from} to={tip} />
      <Grip stage={stage} at={from} name={`Start of ${name}`} className="launch-start" ops={(at) => set('start', at)} label="move the start" onGrab={() => select(node)} />
      <Grip stage={stage} at={tip} name={`Tip of ${name}`} className="launch-tip" ops={pull} label="aim the throw" onGrab={() => select(node)} />
    </>
  );
}

/** The line from a launch's start to its tip. */
function Shaft({ stage, from, to }: { stage: Stage; from: Place; to: Place }) {
  const line = useRef<SVGLineElement>(null);
  const ends = useRef({ from: new Vector3(), to: new Vector3() });
  ends.current.from.set(...from);
  ends.current.to.set(...to);
  useEffect(
    () =>
      stage.onPicture(() => {
        const [a, b] = [stage.toScreen(ends.current.from), stage.toScreen(ends.current.to)];
        const shown = a && b;
        line.current?.setAttribute('visibility', shown ? 'visible' : 'hidden');
        if (!shown) return;
        for (const [name, value] of Object.entries({ x1: a.x, y1: a.y, x2: b.x, y2: b.y })) line.current?.setAttribute(name, value.toFixed(1));
      }),
    [stage],
  );
  return (
    <svg className="shaft" aria-hidden="true">
      <line ref={line} />
    </svg>
  );
}
