import { Vector3 } from 'three';
import type { Joint } from '../../../api/blocks';
import type { Op, Scene } from '../../../api/types';
import { freshId, put, remove } from '../../../scene/edits';

export type Place = [number, number, number];

/** A point of a drawn path as documents have it. */
export interface PathPoint {
  id: string;
  at: Place;
  kind?: 'smooth' | 'corner';
  in?: Place;
  out?: Place;
}

/** Digits of a micrometre: finer is noise of the pointer. */
export const rounded = (at: Vector3): Place => at.toArray().map((x) => Number(x.toFixed(6))) as Place;

const vector = (at: Place): Vector3 => new Vector3(...at);

/** The points of a drawn path in a document. */
export const pointsOf = (document: Scene, node: string): PathPoint[] => (document.nodes?.[node]?.params?.['points'] as PathPoint[] | undefined) ?? [];

export const isClosed = (document: Scene, node: string): boolean => document.nodes?.[node]?.params?.['closed'] === true;

/** True for a node whose points are its own, so that some can be added and taken away. */
export const isDrawn = (document: Scene, node: string | null): node is string => node !== null && document.nodes?.[node]?.type === 'drawn-path';

/** The four points of every piece of a path, from its points with their handles. */
export function piecesOf(joints: readonly Joint[], closed: boolean): [Vector3, Vector3, Vector3, Vector3][] {
  const count = closed ? joints.length : joints.length - 1;
  return Array.from({ length: Math.max(0, count) }, (_, i) => {
    const [a, b] = [joints[i] as Joint, joints[(i + 1) % joints.length] as Joint];
    const [from, to] = [vector(a.at), vector(b.at)];
    return [from, from.clone().add(vector(a.out)), to.clone().add(vector(b.in)), to];
  });
}

/** The place on a piece at a parameter from 0 to 1. */
export function onPiece([a, b, c, d]: readonly [Vector3, Vector3, Vector3, Vector3], t: number): Vector3 {
  const s = 1 - t;
  return a.clone().multiplyScalar(s * s * s).addScaledVector(b, 3 * s * s * t).addScaledVector(c, 3 * s * t * t).addScaledVector(d, t * t * t);
}

/** Where a path passes nearest to a pointer: piece, parameter, and how far off in the measure of `distance`. */
export function nearestOnPath(joints: readonly Joint[], closed: boolean, distance: (at: Vector3) => number): { piece: number; t: number; off: number } | null {
  let best: { piece: number; t: number; off: number } | null = null;
  const look = (piece: number, pieces: ReturnType<typeof piecesOf>, t: number) => {
    const curve = pieces[piece];
    if (!curve || t < 0 || t > 1) return;
    const off = distance(onPiece(curve, t));
    if (!best || off < best.off) best = { piece, t, off };
  };
  const pieces = piecesOf(joints, closed);
  pieces.forEach((_, piece) => {
    for (let i = 0; i <= 32; i += 1) look(piece, pieces, i / 32);
  });
  for (let step = 1 / 64; step > 1e-4 && best; step /= 2) {
    const { piece, t } = best as { piece: number; t: number };
    look(piece, pieces, t - step);
    look(piece, pieces, t + step);
  }
  return best;
}

const address = (node: string, id: string): string[] => ['nodes', node, 'params', 'points', id];

/** A point as the document has it, with the handles that it shows. */
const withHandles = (point: PathPoint, into: Vector3, out: Vector3): PathPoint => ({ ...point, in: rounded(into), out: rounded(out) });

/**
 * A new point on a piece of a drawn path, whose form stays as it is: the piece is divided after de Casteljau,
 * and its two ends keep the handles that are left of theirs.
 */
export function inserted(document: Scene, node: string, joints: readonly Joint[], piece: number, t: number): { ops: Op[]; id: string } {
  const closed = isClosed(document, node);
  const points = pointsOf(document, node);
  const curve = piecesOf(joints, closed)[piece];
  const [from, to] = [joints[piece], joints[(piece + 1) % joints.length]];
  const id = freshId('point');
  if (!curve || !from || !to) return { ops: [], id };
  const [a, b, c, d] = curve;
  const before = closed && piece === joints.length - 1 ? undefined : to.id;
  const straight = vector(from.out).length() < 1e-12 && vector(to.in).length() < 1e-12;
  if (straight) {
    const corner: PathPoint = { id, at: rounded(a.clone().lerp(d, t)), kind: 'corner' };
    return { ops: [put(address(node, id), corner, before)], id };
  }
  const [ab, bc, cd] = [a.clone().lerp(b, t), b.clone().lerp(c, t), c.clone().lerp(d, t)];
  const [abc, bcd] = [ab.clone().lerp(bc, t), bc.clone().lerp(cd, t)];
  const middle = abc.clone().lerp(bcd, t);
  const known = (joint: Joint): PathPoint => points.find((point) => point.id === joint.id) ?? { id: joint.id, at: joint.at };
  const ops = [put(address(node, id), withHandles({ id, at: rounded(middle) }, abc.clone().sub(middle), bcd.clone().sub(middle)), before)];
  if (from.id === to.id) {
    ops.push(put(address(node, from.id), withHandles(known(from), cd.clone().sub(d), ab.clone().sub(a))));
  } else {
    ops.push(put(address(node, from.id), withHandles(known(from), vector(from.in), ab.clone().sub(a))));
    ops.push(put(address(node, to.id), withHandles(known(to), cd.clone().sub(d), vector(to.out))));
  }
  return { ops, id };
}

/** Points made smooth or corners; their handles are forgotten, so that the kind is seen. */
export function withKind(document: Scene, node: string, ids: readonly string[], kind: 'smooth' | 'corner'): Op[] {
  return pointsOf(document, node)
    .filter((point) => ids.includes(point.id))
    .map(({ id, at }) => put(address(node, id), kind === 'corner' ? { id, at, kind } : { id, at }));
}

/**
 * A handle pulled to an offset from its point. The other one stays on the same line, with its length, unless
 * the point is broken: then it is a corner with two handles of its own.
 */
export function pulled(document: Scene, node: string, joint: Joint, side: 'in' | 'out', offset: Vector3, broken: boolean): Op[] {
  const point = pointsOf(document, node).find((known) => known.id === joint.id);
  if (!point) return [];
  const other = side === 'in' ? 'out' : 'in';
  const free = broken || (point.kind === 'corner' && point.in !== undefined);
  const length = vector(joint[other]).length();
  const opposite = free || offset.length() < 1e-9 ? vector(joint[other]) : offset.clone().normalize().multiplyScalar(-length);
  const kind = free ? 'corner' : undefined;
  const next: PathPoint = { id: point.id, at: point.at, ...(kind && { kind }), in: [0, 0, 0], out: [0, 0, 0] };
  next[side] = rounded(offset);
  next[other] = rounded(opposite);
  return [put(address(node, point.id), next)];
}

/**
 * A path divided at a point. A closed one is opened there: the point is doubled, and the path begins and ends at
 * it. An open one becomes two; nothing happens at its ends.
 */
export function divided(document: Scene, node: string, joints: readonly Joint[], id: string): { ops: Op[]; second: string | null } | null {
  const points = pointsOf(document, node);
  const index = points.findIndex((point) => point.id === id);
  const [point, joint] = [points[index], joints.find((known) => known.id === id)];
  const slip = document.nodes?.[node];
  if (!point || !joint || !slip) return null;
  const solid = withHandles(point, vector(joint.in), vector(joint.out));
  const double = { ...solid, id: freshId('point') };
  if (isClosed(document, node)) {
    const order = [solid, ...points.slice(index + 1), ...points.slice(0, index), double];
    return { ops: [put(['nodes', node, 'params', 'points'], order), put(['nodes', node, 'params', 'closed'], false)], second: null };
  }
  if (index <= 0 || index >= points.length - 1) return null;
  const second = freshId('drawn-path');
  const at = [(slip.at?.[0] ?? 0) + 180, slip.at?.[1] ?? 0];
  return {
    ops: [
      put(['nodes', node, 'params', 'points'], [...points.slice(0, index), solid]),
      put(['nodes', second], { type: 'drawn-path', name: `${slip.name} 2`, at, params: { points: [double, ...points.slice(index + 1)] } }),
    ],
    second,
  };
}

/** A path run through from its end to its start. */
export const turnedRound = (points: readonly PathPoint[]): PathPoint[] =>
  [...points].reverse().map(({ in: into, out, ...point }) => ({ ...point, ...(out && { in: out }), ...(into && { out: into }) }));

/**
 * Two open paths made one at the ends that lie nearest to each other; where they meet the two points become one.
 * What the second fed is fed by the first.
 */
export function joined(document: Scene, first: string, second: string): Op[] | null {
  let [a, b] = [pointsOf(document, first), pointsOf(document, second)];
  if (first === second || a.length === 0 || b.length === 0 || isClosed(document, first) || isClosed(document, second)) return null;
  const gap = (p: PathPoint | undefined, q: PathPoint | undefined) => (p && q ? vector(p.at).distanceTo(vector(q.at)) : Infinity);
  const ways = [
    { off: gap(a.at(-1), b[0]), a: false, b: false },
    { off: gap(a.at(-1), b.at(-1)), a: false, b: true },
    { off: gap(a[0], b[0]), a: true, b: false },
    { off: gap(a[0], b.at(-1)), a: true, b: true },
  ];
  const way = ways.reduce((best, next) => (next.off < best.off ? next : best));
  if (way.a) a = turnedRound(a);
  if (way.b) b = turnedRound(b);
  const taken = new Set(a.map((point) => point.id));
  b = b.map((point) => (taken.has(point.id) ? { ...point, id: freshId('point') } : point));
  const [end, start] = [a.at(-1), b[0]];
  if (way.off < 1e-6 && end && start) {
    const out = start.out ?? (end.in ? ([0, 0, 0] as Place) : undefined);
    a = [...a.slice(0, -1), { ...end, ...(out && { in: end.in ?? [0, 0, 0], out }) }];
    b = b.slice(1);
  }
  const threads = Object.entries(document.threads ?? {}).filter(([, thread]) => thread.from === second);
  return [
    ...threads.map(([id, thread]) => put(['threads', id], { ...thread, from: first })),
    remove(['nodes', second]),
    put(['nodes', first, 'params', 'points'], [...a, ...b]),
  ];
}
