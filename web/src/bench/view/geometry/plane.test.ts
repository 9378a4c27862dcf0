import { describe, expect, it } from 'vitest';
import { Vector3 } from 'three';
import { axesOf, bases, placeAt, planeThrough, within, type WorkPlane } from './plane';
import { caught, nearestOnLine, onAngle, onGrid, straightened } from './snap';

const plane = (change: Partial<WorkPlane>): WorkPlane => ({ base: 'ground', through: [0, 0, 0], tilt: 0, heading: 0, ...change });
const planes = bases.flatMap((base) => [0, 30, -75].flatMap((tilt) => [0, 110].map((heading) => plane({ base, tilt, heading, through: [1, -2, 3] }))));

describe('a work plane', () => {
  it('has right, up and normal of length one at right angles, in that order', () => {
    for (const one of planes) {
      const { right, up, normal } = axesOf(one);
      expect(right.clone().cross(up).distanceTo(normal)).toBeLessThan(1e-12);
      expect(right.length()).toBeCloseTo(1, 12);
      expect(right.dot(up)).toBeCloseTo(0, 12);
    }
  });

  it('that is not tilted looks as it is called', () => {
    expect(axesOf(plane({})).normal.distanceTo(new Vector3(0, 1, 0))).toBeLessThan(1e-12);
    expect(axesOf(plane({ base: 'front' })).normal.distanceTo(new Vector3(0, 0, 1))).toBeLessThan(1e-12);
    expect(axesOf(plane({ base: 'side' })).normal.distanceTo(new Vector3(1, 0, 0))).toBeLessThan(1e-12);
    // A tilt lifts the far side of the ground.
    expect(placeAt(axesOf(plane({ tilt: 30 })), [0, 2]).y).toBeCloseTo(1, 12);
  });

  it('gives back the coordinates of its own places', () => {
    for (const one of planes) {
      const axes = axesOf(one);
      const [x, y] = within(axes, placeAt(axes, [1.25, -7]));
      expect([x, y].map((n) => Number(n.toFixed(9)))).toEqual([1.25, -7]);
    }
  });

  it('goes through three points, however they lie', () => {
    for (const one of planes) {
      const axes = axesOf(one);
      const [a, b, c] = [placeAt(axes, [0, 0]), placeAt(axes, [3, 1]), placeAt(axes, [-1, 4])];
      const found = axesOf(planeThrough(a, b, c)!);
      for (const place of [a, b, c]) expect(place.clone().sub(found.origin).dot(found.normal)).toBeCloseTo(0, 5);
    }
    expect(planeThrough(new Vector3(), new Vector3(1, 1, 1), new Vector3(2, 2, 2))).toBeNull();
  });
});

describe('what is dragged', () => {
  const axes = axesOf(plane({ tilt: 30, through: [1, 2, 3] }));
  const by = { grid: 0.5, points: [] as Vector3[], paths: [] as Vector3[][], reach: 0.2 };

  it('is caught by a point before a path, and by a path before the grid', () => {
    const at = placeAt(axes, [1.13, 0.9]);
    const point = placeAt(axes, [1.2, 1]);
    const path = [placeAt(axes, [1.1, -5]), placeAt(axes, [1.1, 5])];
    expect(caught(at, axes, { ...by, points: [point], paths: [path] }).distanceTo(point)).toBeLessThan(1e-12);
    expect(within(axes, caught(at, axes, { ...by, paths: [path] }))[0]).toBeCloseTo(1.1, 9);
    expect(within(axes, caught(at, axes, by)).map((x) => Number(x.toFixed(9)))).toEqual([1, 1]);
    expect(caught(at, axes, { ...by, grid: 0 }).distanceTo(at)).toBe(0);
  });

  it('keeps its height over the plane when the grid catches it', () => {
    const at = placeAt(axes, [1.13, 0.9]).addScaledVector(axes.normal, 0.77);
    expect(caught(at, axes, by).sub(axes.origin).dot(axes.normal)).toBeCloseTo(0.77, 12);
  });

  it('is caught within reach only', () => {
    const at = placeAt(axes, [1.13, 0.9]);
    expect(caught(at, axes, { ...by, grid: 0, points: [placeAt(axes, [1.4, 0.9])] }).distanceTo(at)).toBe(0);
  });

  it('with Shift goes straight or at 45° within the plane', () => {
    const from = placeAt(axes, [0, 0]);
    for (const [to, wanted] of [[[3, 0.4], [3, 0]], [[0.2, -2], [0, -2]], [[2, 1.8], [1.9, 1.9]], [[-2, 2.2], [-2.1, 2.1]]] as const) {
      const [x, y] = within(axes, straightened(from, placeAt(axes, [...to]), axes));
      expect(x).toBeCloseTo(wanted[0], 9);
      expect(y).toBeCloseTo(wanted[1], 9);
    }
  });

  it('finds the nearest place of a line, its ends included', () => {
    const line = [new Vector3(0, 0, 0), new Vector3(4, 0, 0), new Vector3(4, 4, 0)];
    expect(nearestOnLine(line, new Vector3(2, 1, 0))!.toArray()).toEqual([2, 0, 0]);
    expect(nearestOnLine(line, new Vector3(-1, -1, 0))!.toArray()).toEqual([0, 0, 0]);
    expect(nearestOnLine(line, new Vector3(9, 9, 0))!.toArray()).toEqual([4, 4, 0]);
    expect(nearestOnLine([], new Vector3())).toBeNull();
  });

  it('steps by angles and by the grid, or not at all', () => {
    expect([onAngle(22, 15), onAngle(-52, 15), onAngle(22, 0)]).toEqual([15, -45, 22]);
    expect([onGrid(0.74, 0.5), onGrid(-0.8, 0.5), onGrid(0.3, 0)]).toEqual([0.5, -1, 0.3]);
  });
});
