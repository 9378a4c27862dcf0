import { Color, type Group, type InterleavedBufferAttribute } from 'three';
import type { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { startOf, type Poses } from '../../../scene/taken/poses';
import { night } from '../../../theme/tokens';
import { coloured } from './lines';
import type { Materials } from './materials';

/** Most pieces of all trails of a motion. */
const MOST_PIECES = 40_000;

/** The light that each thing has left behind in the last frames, fading. */
export class Trail {
  private lines: LineSegments2 | null = null;

  constructor(
    private readonly group: Group,
    private readonly materials: Materials,
  ) {}

  /** Draws it for a frame; `wake` where it is no loop. */
  show(poses: Poses, wake: boolean, frame: number, exposure: number): void {
    const loop = poses.frames - 1;
    const pieces = exposure > 0 && loop > 0 ? piecesOfTrail(frame, exposure, loop, !wake, Math.max(4, Math.floor(MOST_PIECES / poses.things))) : [];
    const count = pieces.length * poses.things;
    if (this.lines && this.lines.userData['count'] !== count) {
      this.group.remove(this.lines);
      this.lines.geometry.dispose();
      this.lines = null;
    }
    if (count === 0) return;
    const known = this.lines && (this.lines.geometry.getAttribute('instanceStart') as InterleavedBufferAttribute).data;
    const places = known ? (known.array as Float32Array) : new Float32Array(6 * count);
    let at = 0;
    for (const { from, to } of pieces) {
      for (let object = 0; object < poses.things; object += 1, at += 6) {
        if (between(poses, from, object, places, at) && between(poses, to, object, places, at + 3)) continue;
        // Of what is not here nothing is drawn: a piece without length, within the thing itself.
        if (!between(poses, Math.floor(frame), object, places, at)) places.fill(0, at, at + 3);
        places.copyWithin(at + 3, at, at + 3);
      }
    }
    if (known) {
      known.needsUpdate = true;
      return;
    }
    const lamp = new Color(night.lamp);
    const colours = pieces.flatMap(({ young }) => {
      const colour = lamp.clone().multiplyScalar(young * 0.9);
      return Array.from({ length: poses.things }, () => [colour.r, colour.g, colour.b, colour.r, colour.g, colour.b]).flat();
    });
    this.lines = coloured([...places], colours, this.materials.trail());
    this.lines.userData['count'] = count;
    this.lines.renderOrder = 3;
    this.group.add(this.lines);
  }

  dispose(): void {
    this.lines?.geometry.dispose();
  }
}

/** A place between two whole frames; false where these are not here. */
function between(poses: Poses, frame: number, object: number, out: Float32Array, at: number): boolean {
  const before = Math.min(poses.frames - 1, Math.floor(frame));
  const after = Math.min(poses.frames - 1, before + 1);
  const share = frame - before;
  const [from, to] = [startOf(poses, 'position', before, object), startOf(poses, 'position', after, object)];
  if (from === null || to === null) return false;
  for (let axis = 0; axis < 3; axis += 1) {
    const a = poses.numbers[from + axis] ?? 0;
    const b = poses.numbers[to + axis] ?? 0;
    out[at + axis] = a + share * (b - a);
  }
  return true;
}

/**
 * The pieces of a trail that ends at a frame, as stretches of frames within one lap of the loop: no piece crosses
 * the seam, so that each shows what was there, whichever thing it was. `young` is 1 at the thing and 0 at the end.
 */
export function piecesOfTrail(frame: number, exposure: number, loop: number, goesRound: boolean, most: number): { from: number; to: number; young: number }[] {
  const steps = Math.max(2, Math.min(most, Math.ceil(exposure * 2), 240));
  const cuts = Array.from({ length: steps + 1 }, (_, i) => frame - (exposure * i) / steps);
  for (let seam = Math.floor(frame / loop) * loop; seam > frame - exposure; seam -= loop) cuts.push(seam);
  cuts.sort((a, b) => b - a);
  const pieces: { from: number; to: number; young: number }[] = [];
  for (let i = 1; i < cuts.length; i += 1) {
    const [to, from] = [cuts[i - 1] as number, cuts[i] as number];
    if (to - from < 1e-9 || (!goesRound && from < 0)) continue;
    const lap = Math.floor((from + to) / 2 / loop) * loop;
    pieces.push({ from: from - lap, to: to - lap, young: 1 - (frame - (from + to) / 2) / exposure });
  }
  return pieces;
}
