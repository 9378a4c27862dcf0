import { BufferGeometry, InstancedMesh, MeshBasicMaterial } from 'three';
import { expect, it } from 'vitest';
import things from './things.json';
import { drawAs, levelOf, simpler, wholeOf } from './simpler';
import { thingGeometry } from './things';

const triangles = (geometry: BufferGeometry): number => (geometry.index?.count ?? geometry.getAttribute('position').count) / 3;

it('the smaller the simpler, and what is near is whole', () => {
  expect([300, 25, 24, 7, 6, 0.1].map(levelOf)).toEqual([0, 0, 1, 1, 2, 2]);
  for (const kind of ['letter', ...Object.keys(things)]) {
    expect(simpler(kind, 0), kind).toBeNull();
    const whole = thingGeometry(kind);
    for (const level of [1, 2] as const) {
      const form = simpler(kind, level);
      if (!form) continue;
      expect(triangles(form), kind).toBeLessThan(triangles(whole) / 3);
      expect(form.hasAttribute('color'), kind).toBe(true);
      // It stands where the whole does, and nowhere beyond it.
      whole.computeBoundingBox();
      form.computeBoundingBox();
      expect(whole.boundingBox?.clone().expandByScalar(1e-6).containsBox(form.boundingBox!), kind).toBe(true);
    }
  }
  expect(triangles(simpler('ball', 2)!)).toBe(20);
});

it('instances keep the form that they were made with', () => {
  const whole = thingGeometry('ball');
  const mesh = new InstancedMesh(whole, new MeshBasicMaterial(), 3);
  drawAs(mesh, simpler('ball', 2));
  drawAs(mesh, simpler('ball', 1));
  expect(mesh.geometry).toBe(simpler('ball', 1));
  expect(wholeOf(mesh)).toBe(whole);
  drawAs(mesh, null);
  expect(mesh.geometry).toBe(whole);
});
