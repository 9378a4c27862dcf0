import { useEffect, useMemo, useRef } from 'react';
import { Vector3, type Box3 } from 'three';
import { put } from '../../../scene/edits';
import { useScene } from '../../../scene/store';
import { useLive } from '../../live';
import type { Stage } from '../scene3d/stage';

/** How far from its middle the corners of a thing's box are shown at least, px. */
const APART = 76;

/** A point of a thing's box by its name: parts of the way from the middle to the sides. */
export const boxPoints: { name: string; at: [number, number, number] }[] = [
  { name: 'centre', at: [0, 0, 0] },
  { name: 'nose', at: [1, 0, 0] },
  { name: 'tail', at: [-1, 0, 0] },
  { name: 'top', at: [0, 1, 0] },
  { name: 'base', at: [0, -1, 0] },
  { name: 'right side', at: [0, 0, 1] },
  { name: 'left side', at: [0, 0, -1] },
  ...[1, -1].flatMap((x) => [1, -1].flatMap((y) => [1, -1].map((z) => ({ name: `${x > 0 ? 'nose' : 'tail'}, ${y > 0 ? 'top' : 'base'}, ${z > 0 ? 'right' : 'left'}`, at: [x, y, z] as [number, number, number] })))),
];

/** Where a named point is in a box. */
export const pointIn = (box: Box3, at: readonly [number, number, number]): Vector3 => {
  const half = box.getSize(new Vector3()).multiplyScalar(0.5);
  return box.getCenter(new Vector3()).add(new Vector3(at[0] * half.x, at[1] * half.y, at[2] * half.z));
};

/** Points on the box of a thing: a click makes one the point that is carried. */
export function PivotPoints({ stage }: { stage: Stage }) {
  const live = useLive();
  const picking = useScene((state) => state.picking);
  const thing = useScene((state) => state.thing);
  const given = useScene((state) => (state.thing ? state.document?.nodes?.[state.thing.node]?.params?.['pivot'] : undefined));
  const now = useMemo(() => new Vector3(...((given as [number, number, number] | undefined) ?? [0, 0, 0])), [given]);
  if (picking !== 'pivot' || !thing) return null;
  const box = stage.thingBox(thing.node, thing.object);
  if (!box) return null;
  const pick = (at: Vector3) => live.edit('pick the pivot', [put(['nodes', thing.node, 'params', 'pivot'], at.toArray().map((x) => Math.round(x * 1e4) / 1e4))]);
  return (
    <>
      {boxPoints.map(({ name, at }) => {
        const point = pointIn(box, at);
        return <BoxPoint key={name} stage={stage} node={thing.node} object={thing.object} box={box} point={point} name={name} now={point.distanceTo(now) < 1e-3} onPick={() => pick(point)} />;
      })}
      <p className="view-hint">Click the point of the thing that the path carries.</p>
    </>
  );
}

function BoxPoint({ stage, node, object, box, point, name, now, onPick }: { stage: Stage; node: string; object: number; box: Box3; point: Vector3; name: string; now: boolean; onPick: () => void }) {
  const element = useRef<HTMLButtonElement>(null);
  const shown = useRef({ point, box });
  shown.current = { point, box };
  useEffect(() => {
    const place = () => {
      const matrix = stage.thingMatrix(node, object);
      if (!matrix) return null;
      const [middle, corner, at] = [shown.current.box.getCenter(new Vector3()), shown.current.box.max.clone(), shown.current.point.clone()].map((place) => place.applyMatrix4(matrix)) as [Vector3, Vector3, Vector3];
      // Of a small thing the points are shown further apart than they are.
      const reach = corner.distanceTo(middle);
      return middle.addScaledVector(at.sub(middle), Math.max(1, (APART * stage.eye.metresPerPixelAt(middle)) / reach));
    };
    return element.current ? stage.pin(element.current, place) : undefined;
  }, [stage, node, object]);
  // More names than four would hide what they belong to.
  const corner = name.includes(',');
  const named = !corner && !name.includes('side') && name !== 'centre';
  return (
    <button ref={element} type="button" className={`handle box-point${now ? ' now' : ''}${corner ? ' corner' : ''}`} title={name} aria-label={`pivot ${name}`} aria-pressed={now} onPointerDown={(event) => event.stopPropagation()} onClick={onPick}>
      {named && (
        <span className="box-point-name" aria-hidden="true">
          {name}
        </span>
      )}
    </button>
  );
}
