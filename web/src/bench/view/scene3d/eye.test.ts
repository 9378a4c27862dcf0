// @vitest-environment jsdom
import { Scene, Vector3, type Fog } from 'three';
import { expect, it } from 'vitest';
import { haze } from './air';
import { Eye } from './eye';

it('goes along with a thing as far as that moves, and not from one thing to another', () => {
  const eye = new Eye(document.createElement('canvas'), () => undefined);
  const before = eye.camera.position.clone();
  const moved = () => eye.camera.position.clone().sub(before).toArray().map((x) => Number(x.toFixed(9)));
  eye.goAlong(new Vector3(1, 2, 3), 'a 0');
  expect(moved()).toEqual([0, 0, 0]);
  eye.goAlong(new Vector3(2, 2, 3), 'a 0');
  expect(moved()).toEqual([1, 0, 0]);
  eye.goAlong(new Vector3(50, 0, 0), 'a 1');
  expect(moved()).toEqual([1, 0, 0]);
  eye.goAlong(new Vector3(50, 1, 0), 'a 1');
  expect(moved()).toEqual([1, 1, 0]);
  // What is not there is gone along with again from where it comes back.
  eye.goAlong(null, 'a 1');
  eye.goAlong(new Vector3(0, 0, 0), 'a 1');
  expect(moved()).toEqual([1, 1, 0]);
  eye.dispose();
});

it('has haze where it ends somewhere, and never ends before it begins', () => {
  const scene = new Scene();
  haze(scene, { from: 3, to: 0, colour: '#112233' });
  expect(scene.fog).toBeNull();
  haze(scene, { from: 3, to: 9, colour: '#112233' });
  expect([(scene.fog as Fog).near, (scene.fog as Fog).far, scene.fog?.color.getHexString()]).toEqual([3, 9, '112233']);
  haze(scene, { from: 20, to: 9, colour: '#112233' });
  expect((scene.fog as Fog).near).toBeLessThanOrEqual(9);
});
