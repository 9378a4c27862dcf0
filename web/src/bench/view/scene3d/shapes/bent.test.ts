import { BoxGeometry, Matrix4, Vector3, type BufferGeometry } from 'three';
import { expect, it } from 'vitest';
import strips from '../../../../../../core/tests/fixtures/strips.json';
import { Chains, bentBox, bentGeometry, dividedAlong, hungAlong, jointAt, stripGeometry } from './bent';

const length = 4;
const joints = 41;
const radius = 1.3;
const strip = { width: 0.6, thickness: 0.05, end: 'straight', stripes: 5, colours: ['#ff0000', '#0000ff'], picture: '' };

/** The joints of what is bent into an arc to the left of +x, its middle in the origin, as they come. */
function arc(): Float32Array {
  const numbers = new Float32Array(9 * joints);
  for (let joint = 0; joint < joints; joint += 1) {
    const angle = (length * (joint / (joints - 1) - 0.5)) / radius;
    numbers.set([radius * Math.sin(angle), 0, -radius * (1 - Math.cos(angle)), 0, Math.sin(angle / 2), 0, Math.cos(angle / 2), 1, 1], 9 * joint);
  }
  return numbers;
}

const places = (geometry: BufferGeometry): Vector3[] => {
  const place = geometry.getAttribute('position');
  return Array.from({ length: place.count }, (_, i) => new Vector3(place.getX(i), place.getY(i), place.getZ(i)));
};

const extent = (geometry: BufferGeometry): { size: Vector3; low: Vector3 } => {
  geometry.computeBoundingBox();
  const box = geometry.boundingBox;
  return { size: box ? box.getSize(new Vector3()) : new Vector3(), low: box?.min ?? new Vector3() };
};

it('a strip is as long, wide and thick as it is told, whatever its tail', () => {
  for (const end of ['straight', 'pointed', 'swallow-tailed'] as const) {
    const { size, low } = extent(stripGeometry({ ...strip, end }, length, joints));
    expect([size.x, size.z, low.x].map((x) => Math.round(1e6 * x)), end).toEqual([4e6, 0.6e6, 0]);
    expect(size.y).toBeCloseTo(0.05, 6);
  }
});

it('its surface is closed: each edge is used as often one way as the other', () => {
  for (const end of ['straight', 'swallow-tailed'] as const) {
    const corners = places(stripGeometry({ ...strip, end }, length, joints));
    const name = (p: Vector3): string => [p.x, p.y, p.z].map((x) => Math.round(1e5 * x)).join(' ');
    const edges = new Map<string, number>();
    for (let i = 0; i < corners.length; i += 3) {
      const [a, b, c] = corners.slice(i, i + 3).map(name) as [string, string, string];
      if (a === b || b === c || c === a) continue;
      for (const [from, to] of [[a, b], [b, c], [c, a]] as const) {
        const [key, way] = from < to ? [`${from}|${to}`, 1] : [`${to}|${from}`, -1];
        edges.set(key, (edges.get(key) ?? 0) + way);
      }
    }
    expect([...edges.values()].filter((left) => left !== 0), end).toEqual([]);
  }
});

it('its stripes change colour where they end', () => {
  const form = stripGeometry(strip, length, joints);
  const hue = form.getAttribute('color');
  for (let i = 0; i < hue.count; i += 3) {
    const middle = places(form).slice(i, i + 3).reduce((sum, place) => sum + place.x / 3, 0);
    expect(hue.getX(i) > 0.5, `at ${middle}`).toBe(Math.min(4, Math.floor((5 * middle) / length)) % 2 === 0);
  }
});

it('corners are where an arc has them: at joints exactly, between them as far off as a chord is', () => {
  const form = hungAlong(stripGeometry(strip, length, joints), length, joints);
  const bent = places(bentGeometry(form, arc(), 0, joints, length));
  const sag = (length / (joints - 1)) ** 2 / (8 * radius);
  places(form).forEach((rest, i) => {
    const angle = (rest.x - length / 2) / radius;
    // The middle of the bend lies on the side of −z.
    const out = radius + rest.z;
    const wanted = new Vector3(out * Math.sin(angle), rest.y, -radius + out * Math.cos(angle));
    const atJoint = Math.abs(((rest.x * (joints - 1)) / length) % 1) < 1e-5;
    expect(bent[i]?.distanceTo(wanted) ?? 9).toBeLessThan(atJoint ? 1e-5 : 1.5 * sag);
  });
});

it('the box around it holds all of it, and little more', () => {
  const form = hungAlong(stripGeometry(strip, length, joints), length, joints);
  const box = bentBox(form, arc(), 0, joints, length).expandByScalar(1e-6);
  const { size, low } = extent(bentGeometry(form, arc(), 0, joints, length));
  expect(box.containsPoint(low) && box.containsPoint(low.clone().add(size))).toBe(true);
  expect(box.getSize(new Vector3()).distanceTo(size)).toBeLessThan(0.01);
});

it('what shaders read is what joints do', () => {
  const [numbers, chains] = [arc(), new Chains(3, joints, length)];
  chains.set(2, numbers, 0);
  const { data, width } = chains.posing.texture.image as { data: Float32Array; width: number };
  expect(data.length % (4 * width)).toBe(0);
  for (const joint of [0, 7, joints - 1]) {
    const e = new Matrix4().copy(jointAt(numbers, 0, joint, joints, length)).elements;
    const at = 12 * (2 * joints + joint);
    const rows = [0, 1, 2].flatMap((r) => [e[r], e[r + 4], e[r + 8], e[r + 12]]);
    expect([...data.slice(at, at + 12)]).toEqual(rows.map((x) => Math.fround(x ?? 0)));
  }
});

it('a model is divided along it, without gaps, and stays the same form', () => {
  const plain = new BoxGeometry(4, 1, 1);
  const shared = dividedAlong(plain, 0.1);
  const finer = shared.toNonIndexed();
  const corners = places(finer);
  let area = 0;
  for (let i = 0; i < corners.length; i += 3) {
    const [a, b, c] = corners.slice(i, i + 3) as [Vector3, Vector3, Vector3];
    const along = [a.x, b.x, c.x];
    expect(Math.max(...along) - Math.min(...along)).toBeLessThanOrEqual(0.1 + 1e-6);
    area += 0.5 * b.clone().sub(a).cross(c.clone().sub(a)).length();
  }
  expect(area).toBeCloseTo(18, 4);
  expect(Object.keys(finer.attributes).sort()).toEqual(Object.keys(plain.attributes).sort());
  // Two faces that meet in an edge have the same corners on it.
  const onEdge = (face: number): number[] => {
    const normal = finer.getAttribute('normal');
    const own = corners.filter((p, i) => p.y > 0.49 && p.z > 0.49 && (face === 1 ? normal.getY(i) : normal.getZ(i)) > 0.9);
    return [...new Set(own.map((p) => Math.round(1e5 * p.x)))].sort((a, b) => a - b);
  };
  expect(onEdge(1).length).toBeGreaterThan(40);
  expect(onEdge(1)).toEqual(onEdge(2));
  // Triangles of a face share their corners, and what is fine enough is left as it is.
  expect(shared.getAttribute('position').count).toBeLessThan(corners.length / 2);
  expect(dividedAlong(plain, 4)).toBe(plain);
});

it('a picture lies on it from tail to head, upright on its face, in place of its stripes', () => {
  const form = stripGeometry({ ...strip, picture: 'crest.png' }, length, joints);
  const [place, spot, hue] = ['position', 'uv', 'color'].map((name) => form.getAttribute(name));
  if (!place || !spot || !hue) throw new Error('it has no picture');
  for (let i = 0; i < place.count; i += 1) {
    expect(spot.getX(i)).toBeCloseTo(place.getX(i) / length, 6);
    expect(spot.getY(i)).toBeCloseTo(0.5 - place.getZ(i) / strip.width, 6);
    expect([hue.getX(i), hue.getY(i), hue.getZ(i)]).toEqual([1, 1, 1]);
  }
  expect(stripGeometry(strip, length, joints).getAttribute('uv')).toBeUndefined();
});

it('strips are those of files', () => {
  for (const { length: long, joints: along, looks, ...told } of strips) {
    const form = stripGeometry({ ...strip, ...told, colours: ['#ff0000', '#0000ff'] }, long, along);
    const [corners, hue] = [places(form), form.getAttribute('color')];
    const sums = [[0, 0, 0, 0], [0, 0, 0, 0]];
    for (let i = 0; i < corners.length; i += 3) {
      const [a, b, c] = corners.slice(i, i + 3) as [Vector3, Vector3, Vector3];
      const area = 0.5 * b.clone().sub(a).cross(c.clone().sub(a)).length();
      const sum = sums[hue.getX(i) > 0.5 ? 0 : 1] ?? [];
      [1, (a.x + b.x + c.x) / 3, (a.y + b.y + c.y) / 3, (a.z + b.z + c.z) / 3].forEach((x, n) => (sum[n] = (sum[n] ?? 0) + area * x));
    }
    sums.forEach((sum, colour) => sum.forEach((x, n) => expect(x, `${told.end} ${colour} ${n}`).toBeCloseTo(looks[colour]?.[n] ?? NaN, 4)));
  }
});
