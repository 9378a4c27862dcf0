import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { MathUtils, Plane, Quaternion, Vector3 } from 'three';
import type { NodeSchema, Op, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useScene } from '../../../scene/store';
import { useLive } from '../../live';
import { useSchemas } from '../../schemas';
import { nudge, snapped } from './Grip';
import type { PathPoint } from '../geometry/path';
import { useView } from '../settings';
import { onAngle, straightened } from '../geometry/snap';
import type { Stage } from '../scene3d/stage';
import { carriers, changedNodes, changedPoints, middleOf, placesOf, turnAbout, unchanged, type Change } from '../geometry/transform';

/** Radius of the ring, and how far out the needles reach, px. */
const RING = 66;
const NEEDLE = 92;
/** Degrees and factors that a held Shift steps by. */
const ANGLE_STEP = 15;
const SCALE_STEP = 0.1;

/** What is moved as a whole. */
interface Held {
  /** In words. */
  name: string;
  middle: Vector3;
  /** The edit of a change, from a document as it was before. */
  ops: (document: Scene, change: Change) => Op[];
}

function useHeld(): Held | null {
  const document = useScene((state) => state.document);
  const paths = useScene((state) => state.paths);
  const chosen = useScene((state) => state.chosen);
  const points = useScene((state) => state.points);
  const schemas = useSchemas();
  return useMemo(() => (document ? heldOf(document, paths, chosen, points, schemas) : null), [document, paths, chosen, points, schemas]);
}

function heldOf(document: Scene, paths: ReturnType<typeof useScene.getState>['paths'], chosen: string[], points: string[], schemas: NodeSchema[]): Held | null {
  const joints = (node: string) => paths[node]?.header.joints ?? [];
  const node = chosen.at(-1);
  if (!node) return null;
  if (points.length > 1) {
    const path = paths[node];
    const held = joints(node).filter((joint) => points.includes(joint.id));
    if (!path || document.nodes?.[node]?.locked || held.length < 2) return null;
    const { param } = path.header;
    return {
      name: `${held.length} points`,
      middle: middleOf(held.map((joint) => new Vector3(...joint.at))),
      ops: (before, change) => {
        const own = (before.nodes?.[node]?.params?.[param] as PathPoint[] | undefined) ?? [];
        const all = held.map((joint) => own.find((point) => point.id === joint.id) ?? { id: joint.id, at: joint.at });
        return changedPoints(all, change).map((point) => put(['nodes', node, 'params', param, point.id], point));
      },
    };
  }
  if (points.length === 1) return null;
  const carried = carriers(document, chosen, schemas);
  const places = placesOf(document, carried, schemas, joints);
  if (places.length === 0) return null;
  // What a thing looks like grows with it; where it is belongs to what carries it.
  const all = [...new Set([...carried, ...chosen.filter((id) => !document.nodes?.[id]?.locked)])];
  return { name: carried.map((id) => document.nodes?.[id]?.name).join(', '), middle: middleOf(places), ops: (before, change) => changedNodes(before, all, schemas, change) };
}

/** One set of handles to move, turn and scale what is selected. */
export function Gizmo({ stage }: { stage: Stage }) {
  const held = useHeld();
  const drawing = useScene((state) => state.drawing);
  const picking = useScene((state) => state.picking);
  const flat = useScene((state) => state.document?.space === 'flat');
  const live = useLive();
  const ring = useRef<SVGPolygonElement>(null);
  const [told, setTold] = useState('');
  const middle = useRef(new Vector3());
  const dragged = useRef(false);
  if (held && !dragged.current) middle.current.copy(held.middle);
  useEffect(
    () =>
      stage.onPicture(() => {
        const { right, up } = stage.axes;
        const radius = RING * stage.eye.metresPerPixelAt(middle.current);
        const corners = Array.from({ length: 48 }, (_, i) => {
          const angle = (i / 48) * 2 * Math.PI;
          return stage.eye.toScreen(middle.current.clone().addScaledVector(right, radius * Math.cos(angle)).addScaledVector(up, radius * Math.sin(angle)));
        });
        ring.current?.setAttribute('points', corners.every(Boolean) ? corners.map((c) => `${c?.x.toFixed(1)},${c?.y.toFixed(1)}`).join(' ') : '');
      }),
    [stage],
  );
  useEffect(() => stage.invalidate(), [stage, held]);
  const begun = useRef<Scene | null>(null);
  if (!held || drawing !== null || picking) return null;

  const before = (): Scene | null => {
    const state = useScene.getState();
    if (state.preview === null) begun.current = state.document;
    return begun.current;
  };
  const show = (change: Change) => {
    const document = before();
    dragged.current = true;
    if (document) live.preview(held.ops(document, change));
  };
  const keep = (change: Change, label: string) => {
    const document = before();
    dragged.current = false;
    setTold('');
    if (document) live.edit(label, held.ops(document, change));
  };
  const common = { stage, middle: middle.current, name: held.name, show, keep, tell: setTold, forget: () => (dragged.current = false) };
  const axes: [string, string, Vector3][] = [
    ['x', 'Move along x', new Vector3(1, 0, 0)],
    ['y', 'Move along y', new Vector3(0, 1, 0)],
    ...(flat ? [] : [['z', 'Move along z', new Vector3(0, 0, 1)] as [string, string, Vector3]]),
  ];
  return (
    <>
      <svg className="shaft gizmo-ring" aria-hidden="true">
        <polygon ref={ring} />
      </svg>
      {axes.map(([axis, title, way]) => (
        <Needle key={axis} {...common} axis={axis} title={title} way={way} />
      ))}
      <Knob {...common} />
      <Bead {...common} />
      <Corner {...common} />
      {told && <Told stage={stage} middle={middle.current} text={told} />}
    </>
  );
}

function Told({ stage, middle, text }: { stage: Stage; middle: Vector3; text: string }) {
  const element = useRef<HTMLDivElement>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => middle) : undefined), [stage, middle]);
  return (
    <div className="pinned" ref={element}>
      <span className="gizmo-told mono">{text}</span>
    </div>
  );
}

interface Common {
  stage: Stage;
  middle: Vector3;
  name: string;
  show: (change: Change) => void;
  keep: (change: Change, label: string) => void;
  tell: (text: string) => void;
  forget: () => void;
}

/** A button that is dragged: `change` says what the pointer's place means. */
function Part(
  props: Common & {
    className: string;
    title: string;
    /** Where it is. */
    at: () => Vector3;
    /** The plane over which the pointer moves. */
    plane: (alt: boolean) => Plane;
    change: (from: Vector3, to: Vector3, middle: Vector3, event: PointerEvent) => [Change, string];
    press: (event: KeyboardEvent) => Change | null;
    label: string;
  },
) {
  const element = useRef<HTMLButtonElement>(null);
  const at = useRef(props.at);
  at.current = props.at;
  const live = useLive();
  const { stage } = props;
  const drag = useRef<{ plane: Plane; from: Vector3; middle: Vector3; moved: boolean; last: Change | null } | null>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => at.current()) : undefined), [stage]);
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const plane = props.plane(event.altKey);
    const from = stage.eye.onPlane(event.clientX, event.clientY, plane);
    if (from) drag.current = { plane, from, middle: props.middle.clone(), moved: false, last: null };
  };
  const move = (event: PointerEvent<HTMLButtonElement>) => {
    const held = drag.current;
    const to = held && stage.eye.onPlane(event.clientX, event.clientY, held.plane);
    if (!held || !to) return;
    const [change, text] = props.change(held.from, to, held.middle, event);
    held.moved = true;
    held.last = change;
    props.tell(text);
    props.show(change);
    // What is shown stays with the handles, so that the pointer stays on them.
    props.middle.copy(held.middle).add(change.move);
  };
  const up = () => {
    const held = drag.current;
    drag.current = null;
    if (held?.moved && held.last) props.keep(held.last, props.label);
  };
  return (
    <button
      ref={element}
      type="button"
      className={`handle gizmo ${props.className}`}
      aria-label={`${props.title}: ${props.name}`}
      title={props.title}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={() => {
        drag.current = null;
        props.forget();
        props.tell('');
        live.endPreview();
      }}
      onKeyDown={(event) => {
        const change = props.press(event);
        if (!change) return;
        event.preventDefault();
        event.stopPropagation();
        props.keep(change, props.label);
      }}
    />
  );
}

const moved = (middle: Vector3, move: Vector3): Change => ({ ...unchanged(middle.clone()), move });
const metres = (x: number): string => `${x.toFixed(2)} m`;

/** The knob in the middle: over the work plane, with Alt across it. */
function Knob(props: Common) {
  const { stage } = props;
  return (
    <Part
      {...props}
      className="gizmo-knob"
      title="Move"
      label={`move ${props.name}`}
      at={() => props.middle}
      plane={(alt) => stage.dragPlane(props.middle.clone(), alt)}
      change={(from, to, middle, event) => {
        const wished = middle.clone().add(to).sub(from);
        const place = event.shiftKey ? straightened(middle, wished, stage.axes) : snapped(stage, wished, [], event.ctrlKey || event.metaKey);
        const move = place.sub(middle);
        return [moved(middle, move), metres(move.length())];
      }}
      press={(event) => {
        const way = nudge(event);
        return way && moved(props.middle, way);
      }}
    />
  );
}

/** A needle along an axis of the scene. */
function Needle(props: Common & { axis: string; title: string; way: Vector3 }) {
  const { stage, way, axis } = props;
  const along = () => {
    // Over the plane through the axis that is seen best.
    const sight = stage.eye.sight();
    const normal = sight.clone().addScaledVector(way, -sight.dot(way));
    return new Plane().setFromNormalAndCoplanarPoint(normal.length() < 1e-3 ? sight : normal.normalize(), props.middle.clone());
  };
  return (
    <Part
      {...props}
      className={`gizmo-needle ${axis}`}
      title={props.title}
      label={`move ${props.name}`}
      at={() => props.middle.clone().addScaledVector(way, NEEDLE * stage.eye.metresPerPixelAt(props.middle))}
      plane={along}
      change={(from, to, middle, event) => {
        const grid = useView.getState().snap.grid && !event.ctrlKey ? stage.gridStep() / 5 : event.shiftKey ? stage.gridStep() : 0;
        let long = to.clone().sub(from).dot(way);
        if (grid > 0) long = Math.round((middle.dot(way) + long) / grid) * grid - middle.dot(way);
        return [moved(middle, way.clone().multiplyScalar(long)), `${axis} ${long >= 0 ? '+' : ''}${metres(long)}`];
      }}
      press={(event) => {
        const on: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };
        const step = on[event.key];
        const long = nudge({ ...event, key: 'ArrowRight' })?.length() ?? 0;
        return step ? moved(props.middle, way.clone().multiplyScalar(step * long)) : null;
      }}
    />
  );
}

const ringPlace = (stage: Stage, middle: Vector3, degrees: number, radius = RING): Vector3 => {
  const { right, up } = stage.axes;
  const size = radius * stage.eye.metresPerPixelAt(middle);
  const angle = MathUtils.degToRad(degrees);
  return middle.clone().addScaledVector(right, size * Math.cos(angle)).addScaledVector(up, size * Math.sin(angle));
};

/** The bead on the ring: turns within the work plane. */
function Bead(props: Common) {
  const { stage } = props;
  return (
    <Part
      {...props}
      className="gizmo-bead"
      title="Turn"
      label={`turn ${props.name}`}
      at={() => ringPlace(stage, props.middle, 35)}
      plane={() => new Plane().setFromNormalAndCoplanarPoint(stage.axes.normal, props.middle.clone())}
      change={(from, to, middle, event) => {
        const { right, up, normal } = stage.axes;
        const angle = (at: Vector3) => Math.atan2(at.clone().sub(middle).dot(up), at.clone().sub(middle).dot(right));
        const raw = MathUtils.radToDeg(angle(to) - angle(from));
        const whole = raw - 360 * Math.round(raw / 360);
        const steps = event.shiftKey || useView.getState().snap.angle;
        const degrees = Number(onAngle(whole, steps ? ANGLE_STEP : 0).toFixed(3));
        return [turnAbout(middle.clone(), normal, degrees), `${degrees.toFixed(1)}°`];
      }}
      press={(event) => {
        const on: Record<string, number> = { ArrowRight: -1, ArrowDown: -1, ArrowLeft: 1, ArrowUp: 1 };
        const step = on[event.key];
        return step ? turnAbout(props.middle.clone(), stage.axes.normal, step * (event.shiftKey ? ANGLE_STEP : 1)) : null;
      }}
    />
  );
}

/** The open square beside the ring: scales about the middle. */
function Corner(props: Common) {
  const { stage } = props;
  const scaled = (middle: Vector3, scale: number): Change => ({ pivot: middle.clone(), move: new Vector3(), turn: new Quaternion(), scale, degrees: 0 });
  return (
    <Part
      {...props}
      className="gizmo-corner"
      title="Scale"
      label={`scale ${props.name}`}
      at={() => ringPlace(stage, props.middle, -45, RING + 14)}
      plane={() => new Plane().setFromNormalAndCoplanarPoint(stage.eye.sight().negate(), props.middle.clone())}
      change={(from, to, middle, event) => {
        const raw = Math.max(0.01, to.distanceTo(middle) / Math.max(from.distanceTo(middle), 1e-9));
        const scale = Number((event.shiftKey ? Math.max(SCALE_STEP, Math.round(raw / SCALE_STEP) * SCALE_STEP) : raw).toFixed(4));
        return [scaled(middle, scale), `× ${scale.toFixed(2)}`];
      }}
      press={(event) => {
        const on: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };
        const step = on[event.key];
        return step ? scaled(props.middle, (event.shiftKey ? 1.1 : 1.01) ** step) : null;
      }}
    />
  );
}
