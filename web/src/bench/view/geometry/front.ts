import { Vector3 } from 'three';

/** How a front runs over a path: where it enters, and whether outline after outline. */
export interface Runs {
  from: 'start' | 'end' | 'middle';
  inTurn: boolean;
}

/** Parts of the path's length before and after the front at which it is looked first while it is pulled. */
const NEAR = 0.12;
/** Farther than this from the pointer, in pixels, it is looked everywhere. */
const FAR = 40;
/** Places at which is looked. */
const LOOKS = 400;

const lengthsOf = (points: readonly Vector3[]): number[] => {
  let sum = 0;
  return points.map((at, i) => (sum += i === 0 ? 0 : at.distanceTo(points[i - 1] ?? at)));
};

/** The place at a part of a strand's length. */
function placeAt(points: readonly Vector3[], part: number): Vector3 | null {
  const lengths = lengthsOf(points);
  const whole = lengths[lengths.length - 1] ?? 0;
  const s = Math.min(1, Math.max(0, part)) * whole;
  const next = Math.max(1, lengths.findIndex((length) => length >= s));
  const [a, b] = [points[next - 1], points[next]];
  if (!a || !b) return a?.clone() ?? null;
  const [from, to] = [lengths[next - 1] ?? 0, lengths[next] ?? 0];
  return a.clone().lerp(b, to > from ? (s - from) / (to - from) : 0);
}

/** Where the front is that has come over a part of what it fills, 0 to 1: of strands that fill together on the first. */
export function frontAt(strands: readonly (readonly Vector3[])[], part: number, { from, inTurn }: Runs): Vector3 | null {
  let [points, own] = [strands[0], Math.min(1, Math.max(0, part))];
  if (inTurn) {
    const wholes = strands.map((strand) => lengthsOf(strand).at(-1) ?? 0);
    let left = own * wholes.reduce((sum, whole) => sum + whole, 0);
    const which = wholes.findIndex((whole, i) => {
      if (left <= whole || i === wholes.length - 1) return true;
      left -= whole;
      return false;
    });
    points = strands[which];
    own = Math.min(1, left / (wholes[which] || 1));
  }
  if (!points) return null;
  return placeAt(points, from === 'start' ? own : from === 'end' ? 1 - own : 0.5 + 0.5 * own);
}

/** What is filled of a path, in parts: up to 1 it fills, to 2 it empties, and so on. The part over which its front or its rear has come. */
export const partOf = (filled: number): { part: number; empties: boolean } => {
  const round = filled - 2 * Math.floor(filled / 2);
  return round > 1 ? { part: round - 1, empties: true } : { part: round, empties: false };
};

/** The part, from `before` on, at which the front is nearest to the pointer on screen. */
export function pulledTo(before: number, place: (part: number) => Vector3 | null, distance: (at: Vector3) => number): number {
  const nearest = (low: number, high: number): [number, number] => {
    let best: [number, number] = [Infinity, before];
    for (let i = 0; i <= LOOKS; i += 1) {
      const part = low + ((high - low) * i) / LOOKS;
      const at = place(part);
      const far = at ? distance(at) : Infinity;
      if (far < best[0]) best = [far, part];
    }
    return best;
  };
  // A path that crosses itself in the picture is followed, and not left for what lies behind it.
  const [far, near] = nearest(Math.max(0, before - NEAR), Math.min(1, before + NEAR));
  return far <= FAR ? near : nearest(0, 1)[1];
}
