import { describe, expect, it } from 'vitest';
import { freeLine } from './names';

/** Numbers that look random and are the same each time. */
function numbers(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16807) % 2147483647) / 2147483647;
}

describe('names', () => {
  it('lie on none that were put down before, and where they belong when nothing is there', () => {
    for (let seed = 1; seed < 200; seed += 1) {
      const next = numbers(seed);
      const taken: { x: number; y: number }[] = [];
      for (let i = 0; i < 12; i += 1) {
        const at = { x: 400 * next(), y: 120 * next() };
        const y = freeLine(at, taken, 150, 17);
        const free = (height: number) => taken.every((other) => Math.abs(other.x - at.x) >= 150 || Math.abs(other.y - height) > 17 - 1e-9);
        expect(free(y)).toBe(true);
        expect(y >= at.y).toBe(true);
        expect(y === at.y).toBe(free(at.y));
        taken.push({ x: at.x, y });
      }
    }
  });
});
