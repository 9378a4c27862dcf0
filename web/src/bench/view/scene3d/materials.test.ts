import { DataTexture, MeshLambertMaterial } from 'three';
import { expect, it } from 'vitest';
import { Materials } from './materials';
import type { Posing } from './shapes/clips';

const posing = (bones: number): Posing => ({ texture: new DataTexture(), rows: [0], layers: 1, between: 0, bones, overLine: true });

it('a material passes from joints that are gone to the next, so that its shader stays', () => {
  const [materials, plain] = [new Materials(), new MeshLambertMaterial()];
  const [first, second] = [posing(9), posing(17)];
  const made = materials.shaped(plain, false, first, true);
  expect(materials.shaped(plain, false, first, true)).toBe(made);
  // Others at the same time have one of their own.
  expect(materials.shaped(plain, false, second, true)).not.toBe(made);
  const { poses, posesOf } = made.userData as { poses: { value: unknown }; posesOf: { value: { z: number } } };
  materials.forget(first);
  const third = posing(33);
  expect(materials.shaped(plain, false, third, false)).not.toBe(made);
  const fourth = posing(65);
  expect(materials.shaped(plain, false, fourth, true)).toBe(made);
  // What a compiled shader holds on to reads the new joints.
  expect([poses.value, posesOf.value.z]).toEqual([fourth.texture, 65]);
});
