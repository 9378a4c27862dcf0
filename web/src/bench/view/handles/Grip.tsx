import { useEffect, useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import { Vector3, type Plane } from 'three';
import type { Op } from '../../../api/types';
import { useScene } from '../../../scene/store';
import type { Pressed } from '../../keyboard/table';
import { useLive } from '../../live';
import { caught, inSteps, straightened } from '../geometry/snap';
import { useView } from '../settings';
import { viewer } from '../viewer';
import type { Stage } from '../scene3d/stage';
import type { Place } from '../geometry/path';

interface Props {
  stage: Stage;
  at: Place;
  name: string;
  className: string;
  chosen?: boolean;
  /** What moving it to a place changes. */
  ops: (at: Vector3, keys: { altKey: boolean }) => Op[];
  label: string;
  /** It is taken hold of. */
  onGrab: () => void;
  /** It is clicked with Ctrl or Shift, to be taken into the selection. */
  onAlso?: () => void;
  /** It is clicked and not moved. */
  onClick?: () => void;
  /** With Shift it keeps to whole steps of direction from here, in place of going straight. */
  about?: { place: Place; flat: boolean };
  /** Places that do not catch it, since they move along. */
  without?: readonly string[];
  children?: ReactNode;
}

/** Pixels within which a point or a path catches. */
const REACH = 9;
/** Pixels that count as a click still. */
const SLACK = 3;

/** A place caught as the settings of the View say, or as it is while Ctrl is held. */
export function snapped(stage: Stage, at: Vector3, without: readonly string[], free: boolean): Vector3 {
  const { snap } = useView.getState();
  if (free || !(snap.grid || snap.points || snap.paths)) return at;
  const { paths, points, selected } = useScene.getState();
  const others = Object.entries(paths).flatMap(([node, path]) =>
    path.header.joints.filter((joint) => !(node === selected && points.includes(joint.id)) && !without.includes(`${node}/${joint.id}`)).map((joint) => new Vector3(...joint.at)),
  );
  return caught(at, stage.axes, {
    grid: snap.grid ? stage.gridStep() / 5 : 0,
    points: snap.points ? others : [],
    paths: snap.paths ? stage.lineVectors(without.map((key) => key.split('/')[0] ?? '')) : [],
    reach: REACH * stage.eye.metresPerPixelAt(at),
  });
}

/**
 * Something at a place in space that can be dragged over the work plane (with Alt across it, with Shift straight or
 * at 45°, with Ctrl uncaught), and nudged with the arrow keys.
 */
export function Grip(props: Props) {
  const { stage, at, ops, label } = props;
  const live = useLive();
  const element = useRef<HTMLButtonElement>(null);
  const place = useRef(new Vector3());
  place.current.set(...at);
  const drag = useRef<{ plane: Plane; grip: Vector3; from: Vector3; x: number; y: number; moved: boolean } | null>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => place.current) : undefined), [stage]);
  useEffect(() => stage.invalidate(), [stage, at]);

  const target = (event: PointerEvent): Vector3 | null => {
    const held = drag.current;
    const hit = held && stage.eye.onPlane(event.clientX, event.clientY, held.plane);
    if (!held || !hit) return null;
    const to = hit.sub(held.grip);
    if (event.shiftKey && props.about) return inSteps(new Vector3(...props.about.place), to, props.about.flat);
    if (event.shiftKey) return straightened(held.from, to, stage.axes);
    return snapped(stage, to, props.without ?? [], event.ctrlKey || event.metaKey);
  };
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    stage.stay();
    if (props.onAlso && (event.ctrlKey || event.metaKey || event.shiftKey)) {
      props.onAlso();
      event.preventDefault();
      return;
    }
    event.currentTarget.setPointerCapture(event.pointerId);
    props.onGrab();
    const plane = stage.dragPlane(place.current.clone(), event.altKey);
    const hit = stage.eye.onPlane(event.clientX, event.clientY, plane);
    if (hit) drag.current = { plane, grip: hit.sub(place.current), from: place.current.clone(), x: event.clientX, y: event.clientY, moved: false };
  };
  const move = (event: PointerEvent<HTMLButtonElement>) => {
    const held = drag.current;
    if (!held || (!held.moved && Math.hypot(event.clientX - held.x, event.clientY - held.y) < SLACK)) return;
    const to = target(event);
    if (!to) return;
    held.moved = true;
    live.preview(ops(to, event));
  };
  const up = (event: PointerEvent<HTMLButtonElement>) => {
    const to = target(event);
    const held = drag.current;
    drag.current = null;
    if (held && !held.moved) props.onClick?.();
    if (to && held?.moved) live.edit(label, ops(to, event));
  };
  const press = (event: KeyboardEvent) => {
    const way = nudge(event);
    // Enter takes it into the selection; going past it with Tab does not.
    const takes = event.key === 'Enter' && useScene.getState().drawing === null;
    if (!way && !takes) return;
    event.preventDefault();
    event.stopPropagation();
    props.onGrab();
    if (way) live.edit(label, ops(place.current.clone().add(way), event));
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
      onKeyDown={press}
    >
      {props.children}
    </button>
  );
}

/** How far an arrow key moves something: along the work plane's axes, with PgUp and PgDn across it. */
export function nudge(event: Pressed): Vector3 | null {
  const { stage } = viewer;
  if (!stage || event.ctrlKey || event.metaKey) return null;
  const step = niceNudge(stage.eye.metresPerPixel() * (event.shiftKey ? 20 : 4));
  const { right, up, normal } = stage.axes;
  const ways: Record<string, [Vector3, number]> = { ArrowLeft: [right, -1], ArrowRight: [right, 1], ArrowUp: [up, 1], ArrowDown: [up, -1], PageUp: [normal, 1], PageDown: [normal, -1] };
  const way = ways[event.key];
  return way ? way[0].clone().multiplyScalar(way[1] * step) : null;
}

/** A step that gives numbers worth reading. */
function niceNudge(metres: number): number {
  const power = 10 ** Math.floor(Math.log10(metres));
  return power * ([1, 2, 5, 10].find((step) => step * power >= metres) ?? 10);
}
