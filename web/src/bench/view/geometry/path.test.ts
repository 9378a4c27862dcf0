import { describe, expect, it } from 'vitest';
import { Vector3 } from 'three';
import type { Joint } from '../../../api/blocks';
import type { Scene } from '../../../api/types';
import { applied } from '../../../scene/edits';
import { divided, inserted, isClosed, joined, nearestOnPath, onPiece, piecesOf, pointsOf, pulled, turnedRound, withKind, type PathPoint, type Place } from './path';

/** Numbers that look random and are the same each time. */
function dice(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 1103515245 + 12345) % 2147483648;
    return state / 2147483648 - 0.5;
  };
}

/** A path with handles at every point, some of them corners, and the joints that the server would send for it. */
function path(seed: number, count: number, closed: boolean): { scene: Scene; joints: Joint[] } {
  const roll = dice(seed);
  const place = (size: number): Place => [roll() * size, roll() * size, roll() * size];
  const points = Array.from({ length: count }, (_, i): PathPoint => ({ id: `p${i}`, at: place(8), in: place(2), out: place(2) }));
  const scene = { nodes: { way: { type: 'drawn-path', name: 'Way', at: [24, 40], params: { points, closed } }, ride: { type: 'ride', name: 'Ride' } }, threads: { t: { from: 'way', to: 'ride', port: 'path' } } } as unknown as Scene;
  return { scene, joints: jointsOf(points) };
}

const jointsOf = (points: readonly PathPoint[]): Joint[] => points.map((point) => ({ id: point.id, at: point.at, kind: point.kind ?? 'smooth', in: point.in ?? [0, 0, 0], out: point.out ?? [0, 0, 0] }));

/** Places along a path, many for each piece. */
const along = (scene: Scene, node: string): Vector3[] =>
  piecesOf(jointsOf(pointsOf(scene, node)), isClosed(scene, node)).flatMap((piece) => Array.from({ length: 33 }, (_, i) => onPiece(piece, i / 32)));

/** How far the places of one list are from the nearest of another, most. */
const apart = (a: Vector3[], b: Vector3[]): number => Math.max(...a.map((p) => Math.min(...b.map((q) => p.distanceTo(q)))));

describe('a point on a path', () => {
  it('is put there without changing the form, wherever it goes', () => {
    for (let seed = 1; seed <= 40; seed += 1) {
      const closed = seed % 2 === 0;
      const { scene, joints } = path(seed, 2 + (seed % 5), closed);
      const pieces = piecesOf(joints, closed).length;
      const piece = seed % pieces;
      const t = 0.1 + 0.8 * ((seed % 7) / 7);
      const { ops, id } = inserted(scene, 'way', joints, piece, t);
      const after = applied(scene, ops);
      expect(pointsOf(after, 'way')).toHaveLength(joints.length + 1);
      expect(pointsOf(after, 'way')[(piece + 1) % (joints.length + 1)]?.id ?? pointsOf(after, 'way').at(-1)?.id).toBe(id);
      const [before, now] = [along(scene, 'way'), along(after, 'way')];
      // Both are looked at in steps, so they may differ by a part of a step.
      const fine = piecesOf(joints, closed).flatMap((curve) => Array.from({ length: 2000 }, (_, i) => onPiece(curve, i / 1999)));
      expect(apart(now, fine)).toBeLessThan(0.02);
      expect(before.length).toBeLessThan(now.length);
    }
  });

  it('between corners is a corner', () => {
    const { scene } = path(1, 3, false);
    const bare = applied(scene, withKind(scene, 'way', ['p0', 'p1', 'p2'], 'corner'));
    const joints = jointsOf(pointsOf(bare, 'way'));
    const after = applied(bare, inserted(bare, 'way', joints, 0, 0.5).ops);
    expect(pointsOf(after, 'way')[1]).toMatchObject({ kind: 'corner' });
    expect(new Vector3(...pointsOf(after, 'way')[1]!.at).distanceTo(new Vector3(...joints[0]!.at).lerp(new Vector3(...joints[1]!.at), 0.5))).toBeLessThan(1e-5);
  });

  it('is found where the pointer is nearest', () => {
    const { joints } = path(9, 5, true);
    const pieces = piecesOf(joints, true);
    for (const [piece, t] of [[0, 0.3], [2, 0.77], [4, 0.5]] as const) {
      const at = onPiece(pieces[piece]!, t);
      const found = nearestOnPath(joints, true, (place) => place.distanceTo(at))!;
      expect(found.off).toBeLessThan(2e-3);
      expect(onPiece(pieces[found.piece]!, found.t).distanceTo(at)).toBeLessThan(2e-3);
    }
  });
});

describe('handles', () => {
  it('of a smooth point stay on one line, the other with its length', () => {
    const { scene, joints } = path(3, 4, true);
    const joint = joints[1]!;
    const offset = new Vector3(0.3, -1, 2);
    const [point] = pointsOf(applied(scene, pulled(scene, 'way', joint, 'out', offset, false)), 'way').slice(1, 2);
    const [into, out] = [new Vector3(...point!.in!), new Vector3(...point!.out!)];
    expect(out.distanceTo(offset)).toBeLessThan(1e-5);
    expect(into.clone().normalize().dot(out.clone().normalize())).toBeCloseTo(-1, 5);
    expect(into.length()).toBeCloseTo(new Vector3(...joint.in).length(), 5);
  });

  it('of a broken point go their own ways, and stay broken', () => {
    const { scene, joints } = path(3, 4, true);
    const broken = applied(scene, pulled(scene, 'way', joints[1]!, 'out', new Vector3(1, 0, 0), true));
    expect(pointsOf(broken, 'way')[1]).toMatchObject({ kind: 'corner', in: joints[1]!.in.map((x) => Number(x.toFixed(6))) });
    const again = applied(broken, pulled(broken, 'way', jointsOf(pointsOf(broken, 'way'))[1]!, 'in', new Vector3(0, 1, 0), false));
    expect(pointsOf(again, 'way')[1]).toMatchObject({ in: [0, 1, 0], out: [1, 0, 0] });
  });
});

describe('a path', () => {
  it('that is closed is opened where it is divided and keeps its form', () => {
    const { scene, joints } = path(5, 5, true);
    const after = applied(scene, divided(scene, 'way', joints, 'p2')!.ops);
    const points = pointsOf(after, 'way');
    expect(isClosed(after, 'way')).toBe(false);
    expect(points).toHaveLength(6);
    expect(points[0]!.at).toEqual(points.at(-1)!.at);
    expect(new Set(points.map((point) => point.id)).size).toBe(6);
    expect(apart(along(after, 'way'), along(scene, 'way'))).toBeLessThan(1e-4);
  });

  it('that is open becomes two where it is divided, and one again when they are joined', () => {
    const { scene, joints } = path(6, 5, false);
    const { ops, second } = divided(scene, 'way', joints, 'p2')!;
    const two = applied(scene, ops);
    expect(pointsOf(two, 'way')).toHaveLength(3);
    expect(pointsOf(two, second!)).toHaveLength(3);
    const one = applied(two, joined(two, 'way', second!)!);
    expect(one.nodes?.[second!]).toBeUndefined();
    expect(pointsOf(one, 'way')).toHaveLength(5);
    expect(apart(along(one, 'way'), along(scene, 'way'))).toBeLessThan(1e-4);
    expect(divided(scene, 'way', joints, 'p0')).toBeNull();
    expect(divided(scene, 'way', joints, 'p4')).toBeNull();
  });

  it('is joined at the ends that lie nearest, whichever way round they run, and feeds what the other fed', () => {
    const point = (id: string, x: number): PathPoint => ({ id, at: [x, 0, 0] });
    for (const [a, b] of [[[0, 1], [2, 3]], [[0, 1], [3, 2]], [[1, 0], [2, 3]], [[1, 0], [3, 2]]] as const) {
      const scene = {
        nodes: { a: { type: 'drawn-path', name: 'A', params: { points: a.map((x) => point(`a${x}`, x)) } }, b: { type: 'drawn-path', name: 'B', params: { points: b.map((x) => point(`b${x}`, x)) } }, r: { type: 'ride', name: 'R' } },
        threads: { t: { from: 'b', to: 'r', port: 'path' } },
      } as unknown as Scene;
      const after = applied(scene, joined(scene, 'a', 'b')!);
      expect(pointsOf(after, 'a').map((p) => p.at[0])).toEqual([0, 1, 2, 3]);
      expect(after.threads?.['t']).toEqual({ from: 'a', to: 'r', port: 'path' });
    }
  });

  it('turned round twice is what it was', () => {
    const { scene } = path(8, 5, false);
    const points = pointsOf(scene, 'way');
    expect(turnedRound(turnedRound(points))).toEqual(points);
    expect(turnedRound(points)[0]).toMatchObject({ id: 'p4', in: points[4]!.out, out: points[4]!.in });
  });
});
