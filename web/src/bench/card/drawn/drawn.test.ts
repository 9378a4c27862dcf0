import { describe, expect, it } from 'vitest';
import fixture from '../../../../../core/tests/fixtures/drawn.json';
import { added, drawnAt, moved, type DrawnPoint } from './drawn';

describe('a drawn number', () => {
  it('is what the core makes of the same points', () => {
    for (const { points, at } of fixture) {
      for (const [part, number] of at) expect(drawnAt(points as DrawnPoint[], part!)).toBeCloseTo(number!, 9);
    }
  });

  it('keeps its points in order and within what is allowed, wherever one is pulled', () => {
    const points: DrawnPoint[] = [[0, 1], [0.5, 2], [1, 0]];
    for (const part of [-1, 0, 0.3, 0.6, 1, 2]) {
      for (const number of [-5, 0, 3, 50]) {
        const next = moved(points, 1, part, number, [0, 10]);
        expect(next.every((point, i) => i === 0 || point[0] > next[i - 1]![0])).toBe(true);
        expect(next[1]![1]).toBeGreaterThanOrEqual(0);
        expect(next[1]![1]).toBeLessThanOrEqual(10);
      }
    }
    expect(moved(points, 1, 0.25, 3, [0, 10])[1]).toEqual([0.25, 3]);
  });

  it('has one point more where one is added, or the one that is there already', () => {
    const points: DrawnPoint[] = [[0, 1], [1, 0]];
    expect(added(points, 0.4, 0.5)).toEqual({ points: [[0, 1], [0.4, 0.5], [1, 0]], index: 1 });
    expect(added(points, 1, 0.5)).toEqual({ points, index: 1 });
  });
});
