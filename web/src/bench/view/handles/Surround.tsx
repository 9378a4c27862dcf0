import { useEffect, useRef } from 'react';
import { MathUtils, type Vector3 } from 'three';
import type { NodeSchema, Op, Param, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useScene } from '../../../scene/store';
import { isShown } from '../../schemas';
import { feeds } from '../../weave/work';
import type { Stage } from '../scene3d/stage';
import { Pull, numberOf, rounded, within, type Stands } from './Pull';

/** Pieces of a circle. */
const PIECES = 72;
/** Frames before and after by which the way of a thing is told. */
const BESIDE = 1;
/** How much an arrow key changes a distance by, and with Shift. */
const NUDGE = { usual: 1.02, coarse: 1.2, degrees: 5 };

/** The thing round which it is drawn: the chosen one where it comes from the node, or the first that does. */
function thingOf(document: Scene, node: string, chosen: { node: string; object: number } | null, ends: readonly { node: string; things: number }[]): { node: string; object: number } | null {
  if (chosen && feeds(document, node, chosen.node)) return chosen;
  const end = ends.find((end) => end.things > 0 && feeds(document, node, end.node));
  return end ? { node: end.node, object: 0 } : null;
}

/** Where a thing is, and its way over the work plane; none where it stands still. */
function standing(stage: Stage, thing: { node: string; object: number }): { middle: Vector3; way: Vector3 | null } | null {
  const [before, middle, after] = [-BESIDE, 0, BESIDE].map((by) => stage.thingAt(thing.node, thing.object, by));
  if (!middle) return null;
  const { normal } = stage.axes;
  const way = (after ?? middle).clone().sub(before ?? middle);
  way.addScaledVector(normal, -way.dot(normal));
  return { middle, way: way.length() > 1e-9 ? way.normalize() : null };
}

/** How far a thing of the selected node sees, and in which angle: drawn round it, and pulled. */
export function Surround({ stage, node, schema, document }: { stage: Stage; node: string; schema: NodeSchema; document: Scene }) {
  const chosen = useScene((state) => state.thing);
  const ends = useScene((state) => state.ends);
  const shown = schema.params.filter((param) => isShown(document, node, schema, param));
  const reach = shown.find((param) => param.role?.kind === 'reach');
  const opening = shown.find((param) => param.role?.kind === 'opening');
  const times = reach?.role?.kind === 'reach' ? reach.role.times : null;
  const size = numberOf(document, node, schema.params.find((param) => param.name === times));
  const [sizes, degrees] = [numberOf(document, node, reach), numberOf(document, node, opening)];
  const thing = thingOf(document, node, chosen, ends);
  if (!reach || !thing || size === null || sizes === null || size <= 0) return null;
  const name = document.nodes?.[node]?.name ?? '';
  return <Circle stage={stage} thing={thing} name={name} node={node} reach={reach} opening={degrees === null ? null : (opening ?? null)} size={size} sizes={sizes} degrees={degrees ?? 360} />;
}

interface Round {
  stage: Stage;
  thing: { node: string; object: number };
  name: string;
  node: string;
  reach: Param;
  opening: Param | null;
  /** Metres. */
  size: number;
  /** How far it sees. */
  sizes: number;
  /** In which angle. */
  degrees: number;
}

function Circle(props: Round) {
  const { stage, thing, node, reach, opening } = props;
  const line = useRef<SVGPathElement>(null);
  const now = useRef(props);
  now.current = props;
  /** A place on the circle, at an angle from the way of the thing. */
  const on = (angle: number): Vector3 | null => {
    const { size, sizes } = now.current;
    const stands = standing(stage, now.current.thing);
    if (!stands) return null;
    const way = stands.way ?? stage.axes.right.clone();
    const aside = stage.axes.normal.clone().cross(way);
    return stands.middle.clone().addScaledVector(way, Math.cos(angle) * size * sizes).addScaledVector(aside, Math.sin(angle) * size * sizes);
  };
  const place = useRef(on);
  place.current = on;
  useEffect(
    () =>
      stage.onPicture(() => {
        const { degrees } = now.current;
        const half = MathUtils.degToRad(degrees) / 2;
        const rim = Array.from({ length: PIECES + 1 }, (_, i) => place.current(-half + (2 * half * i) / PIECES));
        const middle = standing(stage, now.current.thing)?.middle;
        const places = degrees < 360 && middle ? [middle, ...rim, middle] : rim;
        const points = places.map((place) => place && stage.eye.toScreen(place));
        const whole = points.every((point) => point !== null);
        line.current?.setAttribute('d', whole ? points.map((point, i) => `${i === 0 ? 'M' : 'L'}${point.x.toFixed(1)} ${point.y.toFixed(1)}`).join('') : '');
      }),
    [stage],
  );
  useEffect(() => stage.invalidate(), [stage, props.sizes, props.degrees, thing.object, thing.node]);
  const set = (param: Param, value: number): Op[] => [put(['nodes', node, 'params', param.name], within(param, rounded(value)))];
  const stands = (): Stands | null => {
    const found = standing(stage, now.current.thing);
    return found && { middle: found.middle, way: found.way ?? stage.axes.right.clone(), normal: stage.axes.normal.clone() };
  };
  const far = (at: Vector3, { middle }: Stands): Op[] => set(reach, at.distanceTo(middle) / props.size);
  const wide = (at: Vector3, { middle, way }: Stands): Op[] => (opening ? set(opening, 2 * MathUtils.radToDeg(at.clone().sub(middle).angleTo(way))) : []);
  const half = MathUtils.degToRad(props.degrees) / 2;
  return (
    <>
      <svg className="shaft surround" aria-hidden="true">
        <path ref={line} />
      </svg>
      <Pull stage={stage} name={`${reach.label} of ${props.name}: ${props.sizes} sizes`} place={() => on(0)} stands={stands} ops={far} label={`set ${reach.label}`} nudged={(up, coarse) => set(reach, props.sizes * (coarse ? NUDGE.coarse : NUDGE.usual) ** (up ? 1 : -1))} />
      {opening && <Pull stage={stage} name={`${opening.label} of ${props.name}: ${props.degrees}°`} place={() => on(half * (props.degrees < 360 ? 1 : 0.999))} stands={stands} ops={wide} label={`set ${opening.label}`} nudged={(up) => set(opening, props.degrees + (up ? NUDGE.degrees : -NUDGE.degrees))} />}
    </>
  );
}
