/** A number that goes with a part from 0 to 1, through points [part, number]: as the core draws it. */

export type DrawnPoint = [number, number];

/** The number at a part: between points by cubics that never run past them (Fritsch and Carlson 1980), beyond as at the ends. */
export function drawnAt(points: DrawnPoint[], part: number): number {
  const after = points.findIndex((point) => point[0] > part);
  const last = points.length - 1;
  if (after <= 0) return points[after === 0 ? 0 : last]![1];
  const [from, to] = [points[after - 1]!, points[after]!];
  const wide = to[0] - from[0];
  const x = (part - from[0]) / wide;
  const [low, high] = [slope(points, after - 1) * wide, slope(points, after) * wide];
  const still = x * x * (3 - 2 * x);
  return from[1] + (to[1] - from[1]) * still + low * x * (1 - x) * (1 - x) - high * x * x * (1 - x);
}

function rise(points: DrawnPoint[], i: number): number {
  const [from, to] = [points[i]!, points[i + 1]!];
  return to[0] > from[0] ? (to[1] - from[1]) / (to[0] - from[0]) : 0;
}

function slope(points: DrawnPoint[], i: number): number {
  const count = points.length;
  if (count === 1) return 0;
  if (i === 0 || i === count - 1) return rise(points, Math.min(i, count - 2));
  const [before, after] = [rise(points, i - 1), rise(points, i)];
  return before * after > 0 ? (2 * before * after) / (before + after) : 0;
}

/** Least part from one point to the next. */
const APART = 1e-3;

/** With a point put elsewhere: not past its neighbours, and within what is allowed. */
export function moved(points: DrawnPoint[], index: number, part: number, number: number, [min, max]: [number, number]): DrawnPoint[] {
  const low = index > 0 ? points[index - 1]![0] + APART : 0;
  const high = index < points.length - 1 ? points[index + 1]![0] - APART : 1;
  const to: DrawnPoint = [rounded(Math.min(Math.max(part, low), high)), rounded(Math.min(Math.max(number, min), max))];
  return points.map((point, i) => (i === index ? to : point));
}

/** With a point more, and which it is; the same where there is no room for it beside another. */
export function added(points: DrawnPoint[], part: number, number: number): { points: DrawnPoint[]; index: number } {
  const near = points.findIndex((point) => Math.abs(point[0] - part) < APART);
  if (near >= 0) return { points, index: near };
  const index = points.filter((point) => point[0] < part).length;
  return { points: [...points.slice(0, index), [rounded(part), rounded(number)], ...points.slice(index)], index };
}

const rounded = (x: number): number => Math.round(x * 1e4) / 1e4;
