import { describe, expect, it } from 'vitest';
import { fitted, places } from './project';

describe('miniatures', () => {
  it('fit everything into their box', () => {
    const lists = [
      [-5, 2, 3, 9, -1, 4],
      [0, 0, 0, 1, 8, -6],
    ];
    for (const flat of [true, false]) {
      const fit = fitted(lists, flat, 60, 40, 6);
      for (const list of lists) {
        places(list, flat, fit, (x, y) => {
          expect(x).toBeGreaterThanOrEqual(6 - 1e-9);
          expect(x).toBeLessThanOrEqual(54 + 1e-9);
          expect(y).toBeGreaterThanOrEqual(6 - 1e-9);
          expect(y).toBeLessThanOrEqual(34 + 1e-9);
        });
      }
    }
  });

  it('survive having nothing, or one place, to show', () => {
    expect(fitted([], true, 10, 10, 1).scale).toBe(1);
    expect(Number.isFinite(fitted([[1, 1, 1]], true, 10, 10, 1).scale)).toBe(true);
  });
});
