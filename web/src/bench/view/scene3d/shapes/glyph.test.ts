import { Vector3 } from 'three';
import { expect, it } from 'vitest';
import { glyphGeometry, shapesOf } from './glyph';

const square = (half: number, x = 0): number[] => [x - half, -half, x + half, -half, x + half, half, x - half, half];
const backwards = (numbers: number[]): number[] => Array.from({ length: numbers.length / 2 }, (_, i) => numbers.slice(numbers.length - 2 * (i + 1), numbers.length - 2 * i)).flat();

/** What the triangles enclose, by their corners. */
function volume(contours: number[][], thickness: number): number {
  const place = glyphGeometry({ sign: 'o', contours, thickness }).getAttribute('position');
  const at = (i: number): Vector3 => new Vector3().fromBufferAttribute(place, i);
  let sum = 0;
  for (let i = 0; i < place.count; i += 3) sum += at(i).dot(at(i + 1).cross(at(i + 2))) / 6;
  return sum;
}

it('a hole is left out, whichever way round a font has its contours', () => {
  for (const turned of [(x: number[]) => x, backwards]) {
    const contours = [turned(square(1)), turned(backwards(square(0.5)))];
    expect(shapesOf({ contours })).toHaveLength(1);
    expect(volume(contours, 0.4)).toBeCloseTo((4 - 1) * 0.4, 5);
  }
});

it('what lies apart is filled by itself, and a hole belongs to what is round it', () => {
  const contours = [square(1), square(0.4, 3), backwards(square(0.2, 3))];
  expect(shapesOf({ contours }).map((shape) => shape.holes.length)).toEqual([0, 1]);
  expect(volume(contours, 1)).toBeCloseTo(4 + 0.64 - 0.16, 5);
});

it('a letter has its middle between its faces', () => {
  const form = glyphGeometry({ sign: 'i', contours: [square(1)], thickness: 0.2 });
  form.computeBoundingBox();
  expect(form.boundingBox?.min.z).toBeCloseTo(-0.1, 6);
  expect(form.boundingBox?.max.z).toBeCloseTo(0.1, 6);
  expect(form.hasAttribute('color')).toBe(true);
});
