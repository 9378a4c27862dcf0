/**
 * Which points a line through all of them needs so that none lies further from it than `tolerance`, measured upright;
 * places along are in order. From each point kept there is a sleeve of slopes that pass all points since, and the line
 * goes on as long as the next lies in it. First and last are kept, and both of two that stand over each other.
 */
export function thinned(along: ArrayLike<number>, up: ArrayLike<number>, tolerance: number): number[] {
  const at = (list: ArrayLike<number>, i: number) => list[i] ?? 0;
  const kept: number[] = [];
  let [anchor, low, high] = [0, -Infinity, Infinity];
  const keep = (i: number) => {
    if (kept.at(-1) !== i) kept.push(i);
    [anchor, low, high] = [i, -Infinity, Infinity];
  };
  for (let i = 0; i < along.length; i += 1) {
    if (i === 0) {
      keep(0);
      continue;
    }
    const rise = (at(up, i) - at(up, anchor)) / (at(along, i) - at(along, anchor));
    if (!(rise >= low && rise <= high)) keep(i - 1);
    const [across, from] = [at(along, i) - at(along, anchor), at(up, anchor)];
    if (across > 0) {
      low = Math.max(low, (at(up, i) - tolerance - from) / across);
      high = Math.min(high, (at(up, i) + tolerance - from) / across);
    } else {
      keep(i);
    }
  }
  if (along.length > 0) keep(along.length - 1);
  return kept;
}
