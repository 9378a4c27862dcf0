import { Vector3 } from 'three';
import { expect, it } from 'vitest';
import { frontAt, partOf, pulledTo, type Runs } from './front';

const strands = [
  [new Vector3(0, 0, 0), new Vector3(1, 0, 0), new Vector3(4, 0, 0)],
  [new Vector3(0, 1, 0), new Vector3(0, 3, 0)],
];
const at = (part: number, from: Runs['from'], inTurn = false): number[] => frontAt(strands, part, { from, inTurn })?.toArray() ?? [];

it('the front is as far along as what is filled, from where things enter', () => {
  expect(at(0.25, 'start')).toEqual([1, 0, 0]);
  expect(at(0.25, 'end')).toEqual([3, 0, 0]);
  expect(at(0.25, 'middle')).toEqual([2.5, 0, 0]);
  expect(at(1, 'middle')).toEqual([4, 0, 0]);
  // One outline after another: four metres, then two.
  expect(at(0.5, 'start', true)).toEqual([3, 0, 0]);
  expect(at(5 / 6, 'start', true)[1]).toBeCloseTo(2);
  expect(at(1, 'start', true)).toEqual([0, 3, 0]);
  expect(frontAt([], 0.5, { from: 'start', inTurn: false })).toBeNull();
});

it('a path fills to 1, empties to 2, and begins anew', () => {
  expect(partOf(0.3)).toEqual({ part: 0.3, empties: false });
  expect(partOf(1)).toEqual({ part: 1, empties: false });
  expect(partOf(1.25)).toEqual({ part: 0.25, empties: true });
  expect(partOf(2.5)).toEqual({ part: 0.5, empties: false });
});

it('a front that is pulled follows its path, and is found anew far from it', () => {
  // A path that comes back on itself in the picture: parts p and 1 − p lie in one place.
  const place = (part: number) => new Vector3(100 * Math.min(part, 1 - part), 0, 0);
  const to = (x: number) => (p: Vector3) => Math.abs(p.x - x);
  expect(pulledTo(0.2, place, to(25))).toBeCloseTo(0.25, 2);
  expect(pulledTo(0.8, place, to(25))).toBeCloseTo(0.75, 2);
  const straight = (part: number) => new Vector3(1000 * part, 0, 0);
  expect(pulledTo(0.1, straight, to(900))).toBeCloseTo(0.9, 2);
});
