import { useEffect, useRef } from 'react';
import { MathUtils, Vector3 } from 'three';
import type { NodeSchema, Op, Param, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useScene, type PathBlock } from '../../../scene/store';
import { drawnAt, type DrawnPoint } from '../../card/drawn/drawn';
import { isShown, valueOf } from '../../schemas';
import { stationsOf } from '../scene3d/lines';
import type { Stage } from '../scene3d/stage';
import { Pull, numberOf, rounded, within, type Stands } from './Pull';

/** Pieces of a ring, and how many rings there are at most. */
const PIECES = 32;
const RINGS = 24;
/** How much an arrow key changes a radius by, and with Shift. */
const NUDGE = { usual: 1.02, coarse: 1.2 };
/** A radius of nothing is pulled from here, metres. */
const LEAST = 0.01;

interface Ring {
  at: Vector3;
  /** Two ways across the path. */
  up: Vector3;
  aside: Vector3;
  /** A factor on the radius there. */
  factor: number;
}

/** Rings round a path, and how large the tube is there; none where that cannot be told of each strand. */
function ringsOf(block: PathBlock, along: DrawnPoint[] | null): Ring[] {
  const all = stationsOf(block);
  const even = along === null || along.every(([, number]) => number === along[0]?.[1]);
  if (block.header.strands.length > 1 && !even) return [];
  const apart = Math.max(1, Math.ceil(all.length / RINGS));
  return all.flatMap(({ at, along: ahead, up }, i) => (i % apart === 0 ? [{ at, up, aside: ahead.clone().cross(up).normalize(), factor: along === null ? 1 : drawnAt(along, (i + 0.5) / all.length) }] : []));
}

/** The tube round the path of the selected node: drawn, and pulled wider. */
export function Tube({ stage, node, schema, document }: { stage: Stage; node: string; schema: NodeSchema; document: Scene }) {
  const thread = Object.values(document.threads ?? {}).find((thread) => thread.to === node && thread.port === 'path');
  const block = useScene((state) => (thread ? state.paths[thread.from] : undefined));
  const radius = schema.params.find((param) => param.role?.kind === 'tube' && isShown(document, node, schema, param));
  if (!block || radius?.role?.kind !== 'tube') return null;
  const { times, along } = radius.role;
  const of = (name: string | null | undefined) => schema.params.find((param) => param.name === name);
  const size = times ? numberOf(document, node, of(times)) : 1;
  const value = numberOf(document, node, radius);
  const drawn = of(along);
  if (size === null || value === null) return null;
  const rings = ringsOf(block, drawn ? (valueOf(document, node, drawn) as DrawnPoint[]) : null);
  const name = document.nodes?.[node]?.name ?? '';
  return rings.length > 0 ? <Rings stage={stage} node={node} name={name} rings={rings} radius={radius} value={value} size={size} /> : null;
}

function Rings(props: { stage: Stage; node: string; name: string; rings: Ring[]; radius: Param; value: number; size: number }) {
  const { stage, node, radius, rings, value, size } = props;
  const line = useRef<SVGPathElement>(null);
  const now = useRef(props);
  now.current = props;
  // Where the tube is widest it is pulled.
  const widest = rings.reduce((a, b) => (b.factor > a.factor ? b : a));
  const held = useRef(widest);
  held.current = widest;
  useEffect(
    () =>
      stage.onPicture(() => {
        const { rings, value, size } = now.current;
        const ring = ({ at, up, aside, factor }: Ring): string => {
          const far = value * size * factor;
          const points = Array.from({ length: PIECES + 1 }, (_, i) => {
            const angle = (2 * Math.PI * i) / PIECES;
            return stage.eye.toScreen(at.clone().addScaledVector(up, far * Math.cos(angle)).addScaledVector(aside, far * Math.sin(angle)));
          });
          return points.every((point) => point !== null) ? points.map((point, i) => `${i === 0 ? 'M' : 'L'}${point.x.toFixed(1)} ${point.y.toFixed(1)}`).join('') : '';
        };
        line.current?.setAttribute('d', value * size > 0 ? rings.map(ring).join('') : '');
      }),
    [stage],
  );
  useEffect(() => stage.invalidate(), [stage, rings, value, size]);
  const set = (to: number): Op[] => [put(['nodes', node, 'params', radius.name], within(radius, rounded(to)))];
  const stands = (): Stands => {
    const { at, up, aside } = held.current;
    // Across the path, or facing the viewer where that is seen from its edge.
    const normal = up.clone().cross(aside).normalize();
    const sight = stage.eye.sight();
    return { middle: at.clone(), way: up.clone(), normal: Math.abs(normal.dot(sight)) > Math.sin(MathUtils.degToRad(20)) ? normal : sight.negate() };
  };
  const pulled = (at: Vector3, { middle }: Stands): Op[] => set(at.distanceTo(middle) / (size * Math.max(held.current.factor, 1e-6)));
  const place = (): Vector3 => held.current.at.clone().addScaledVector(held.current.up, now.current.value * now.current.size * held.current.factor);
  const unit = radius.values.kind === 'number' && radius.values.unit === 'sizes' ? 'sizes' : 'm';
  return (
    <>
      <svg className="shaft surround tube" aria-hidden="true">
        <path ref={line} />
      </svg>
      <Pull stage={stage} name={`${radius.label} of ${props.name}: ${value} ${unit}`} place={place} stands={stands} ops={pulled} label={`set ${radius.label}`} nudged={(up, coarse) => set(Math.max(value, LEAST / size) * (coarse ? NUDGE.coarse : NUDGE.usual) ** (up ? 1 : -1))} />
    </>
  );
}
