import { expect, it } from 'vitest';
import { bodyOf } from '../../../../scene/taken/bodies';
import { dentInto, dentedGeometry } from './dented';

const [across, apart] = [9, 0.5];
const places = Array.from({ length: across * across }, (_, i) => [apart * (i % across), 0, apart * Math.floor(i / across)]);
const squares = places.flatMap((_, i) => (i % across < across - 1 && i < across * (across - 1) ? [i, i + across, i + 1, i + 1, i + across, i + across + 1] : []));
const header = { kind: 'body' as const, stamp: { revision: 1, preview: 0, compared: false }, node: 'out', of: 0, corners: places.length, triangles: squares.length / 3 };
const numbers = Float32Array.from([...places.flat(), ...places.flatMap(() => [0, 1, 0]), ...squares]);

it('corners are moved along their normals, and the slope is what is shaded', () => {
  const body = bodyOf(header, numbers);
  const geometry = dentedGeometry(body);
  const [slope, before] = [0.5, [7, 7]];
  const amounts = places.map(([x = 0]) => -0.1 + slope * x);
  dentInto(geometry, body, Float32Array.from([...before, ...amounts]), before.length, 4);
  const [place, normal] = [geometry.getAttribute('position'), geometry.getAttribute('normal')];
  const length = Math.hypot(1, slope);
  places.forEach(([x = 0, , z = 0], i) => {
    expect([place.getX(i), place.getZ(i)]).toEqual([x, z]);
    expect(place.getY(i)).toBeCloseTo(amounts[i] ?? 0, 6);
    expect(normal.getX(i)).toBeCloseTo(-slope / length, 5);
    expect(normal.getY(i)).toBeCloseTo(1 / length, 5);
  });
  // What it is without dents stays as it came, for the next frame.
  expect([...body.places.subarray(0, 6)]).toEqual([0, 0, 0, apart, 0, 0]);
});

it('a body that is cut off is refused', () => {
  expect(() => bodyOf(header, numbers.subarray(1))).toThrow('cut off');
});
