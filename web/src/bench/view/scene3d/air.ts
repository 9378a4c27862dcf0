import { DirectionalLight, Fog, HemisphereLight, type Scene } from 'three';
import type { ViewSettings } from '../settings';

/** Lights things from above and a little from below. */
export function light(scene: Scene): void {
  const sun = new DirectionalLight(0xfff1d8, 1.6);
  sun.position.set(4, 9, 6);
  scene.add(new HemisphereLight(0xfff4df, 0x4a4f80, 2.2), sun);
}

/** Lets things fade with their distance from the viewer, metres; not at all where they never are gone. */
export function haze(scene: Scene, { from, to, colour }: ViewSettings['haze']): void {
  scene.fog = to > 0 ? new Fog(colour, Math.min(from, to), to) : null;
}
