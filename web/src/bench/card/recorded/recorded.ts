/** Seconds from where to where of a recording. */
export type Part = [from: number, to: number];

/** Moments that the part is long at least. */
const LEAST = 2;

/** One end of a part set to a time, at a moment of the recording, of which there are so many evenly from 0 to its end; the other end stays. */
export function pulled(part: Part, end: 0 | 1, seconds: number, moments: number, whole: number): Part {
  const step = whole / Math.max(1, moments - 1);
  const at = Math.round(seconds / step);
  const other = Math.round(part[1 - end]! / step);
  const last = Math.max(1, moments - 1);
  if (end === 0) return [Math.max(0, Math.min(at, Math.max(0, other - LEAST))) * step, part[1]];
  return [part[0], Math.min(last, Math.max(at, Math.min(last, other + LEAST))) * step];
}
