import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { WorkPlane } from './geometry/plane';

/** What the picture shows and how it is worked on; remembered by the browser. */
export interface ViewSettings {
  ghosts: boolean;
  /** Noses and tops of things. */
  axes: boolean;
  /** Axes along paths. */
  pathAxes: boolean;
  names: boolean;
  marks: boolean;
  /** Frames that a trail of light is long; 0 for none. */
  exposure: number;
  /** The picture goes along with the chosen thing. */
  goesAlong: boolean;
  /** Metres from the viewer from which on things fade, and at which they are gone; none where that is 0. */
  haze: { from: number; to: number; colour: string };
  /** Catch by the grid, by points, by other paths, at angles. */
  snap: { grid: boolean; points: boolean; paths: boolean; angle: boolean };
  /** The scene whose work plane it is. */
  scene: string;
  plane: WorkPlane;
  /** What the next drawn point is. */
  next: 'smooth' | 'corner';
}

export const plainPlane: WorkPlane = { base: 'ground', through: [0, 0, 0], tilt: 0, heading: 0 };

const fresh: ViewSettings = {
  ghosts: true,
  axes: true,
  pathAxes: false,
  names: true,
  marks: true,
  exposure: 0,
  goesAlong: false,
  haze: { from: 0, to: 0, colour: '#2a2f55' },
  snap: { grid: false, points: true, paths: false, angle: false },
  scene: '',
  plane: plainPlane,
  next: 'smooth',
};

export const useView = create<ViewSettings>()(persist(() => fresh, { name: 'view', version: 2, migrate: (kept) => ({ ...fresh, ...(kept as Partial<ViewSettings>) }) }));

/** Looks at a scene: a work plane belongs to the scene that it was laid in. */
export function enterScene(scene: string): void {
  if (useView.getState().scene !== scene) useView.setState({ scene, plane: plainPlane });
}
