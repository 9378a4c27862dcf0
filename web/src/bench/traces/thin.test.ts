import { describe, expect, it } from 'vitest';
import { thinned } from './thin';

/** How far a point is from the line through those kept, upright. */
function off(along: number[], up: number[], kept: number[], i: number): number {
  const after = kept.findIndex((k) => k >= i);
  const [a, b] = [kept[Math.max(0, after - 1)] ?? 0, kept[after] ?? 0];
  const [xa, ya, xb, yb] = [along[a] ?? 0, up[a] ?? 0, along[b] ?? 0, up[b] ?? 0];
  const here = xb > xa ? ya + ((yb - ya) * ((along[i] ?? 0) - xa)) / (xb - xa) : yb;
  return Math.abs((up[i] ?? 0) - here);
}

/** Numbers that look random and are the same every time. */
function* numbers(seed: number): Generator<number> {
  for (let state = seed; ; ) {
    state = (state * 1664525 + 1013904223) % 4294967296;
    yield state / 4294967296;
  }
}

describe('a line that keeps only the points it needs', () => {
  it('passes every point within the tolerance, its ends exactly', () => {
    for (let seed = 1; seed < 60; seed += 1) {
      const more = numbers(seed);
      const next = () => more.next().value as number;
      const count = 2 + Math.floor(next() * 300);
      const along: number[] = [0];
      const up: number[] = [next()];
      const rough = next() ** 4;
      for (let i = 1; i < count; i += 1) {
        along.push((along[i - 1] ?? 0) + 0.1 + next());
        up.push(20 * Math.sin(i / 30) + 30 * rough * next());
      }
      const kept = thinned(along, up, 0.25);
      expect([kept[0], kept.at(-1)]).toEqual([0, count - 1]);
      expect(kept.every((k, i) => i === 0 || k > (kept[i - 1] ?? 0))).toBe(true);
      along.forEach((_, i) => expect(off(along, up, kept, i)).toBeLessThanOrEqual(0.25 + 1e-9));
    }
  });

  it('needs few points for what is smooth, and two for what is straight', () => {
    const along = Array.from({ length: 2500 }, (_, i) => i * 0.3);
    expect(thinned(along, along.map((x) => 7 - 2 * x), 0.1)).toEqual([0, 2499]);
    const waves = thinned(along, along.map((x) => 30 * Math.sin(x / 40)), 0.15);
    expect(waves.length).toBeLessThan(250);
  });

  it('keeps both ends of a step', () => {
    expect(thinned([0, 1, 2, 2, 3, 4], [0, 0, 0, 5, 5, 5], 0.1)).toEqual([0, 2, 3, 5]);
    expect(thinned([], [], 1)).toEqual([]);
    expect(thinned([3], [4], 1)).toEqual([0]);
  });
});
