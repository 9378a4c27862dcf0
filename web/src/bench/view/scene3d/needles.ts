import { Color, Vector3, type Group, type InterleavedBufferAttribute } from 'three';
import type { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { isHere, type Poses } from '../../../scene/taken/poses';
import { night } from '../../../theme/tokens';
import { coloured } from './lines';
import type { Materials } from './materials';
import { matrixOf, scratch } from './posing';

/** With more things than this they would only be a fog: then only the chosen one has them. */
export const MOST_DETAILED = 24;
/** Axes of a thing along its way at so many places. */
const STATIONS = 36;

/** Short lines that show how things stand. */
export class Needles {
  private noses: LineSegments2 | null = null;
  private way: LineSegments2 | null = null;

  constructor(
    private readonly group: Group,
    private readonly materials: Materials,
  ) {}

  /** The nose of every thing, or of the chosen one of many, in persimmon, its top in a faint tone. */
  showNoses(poses: Poses, size: number, frame: number, wanted: boolean, chosen: number | null): void {
    const few = poses.things <= MOST_DETAILED;
    const objects = few ? Array.from({ length: poses.things }, (_, object) => object) : chosen !== null && chosen < poses.things ? [chosen] : [];
    const seen = wanted && objects.length > 0 && isHere(poses, frame);
    if (this.noses) this.noses.visible = seen;
    if (!seen) return;
    const known = this.noses && (this.noses.geometry.getAttribute('instanceStart') as InterleavedBufferAttribute).data;
    const places = known ? (known.array as Float32Array) : new Float32Array(12 * objects.length);
    const tip = new Vector3();
    objects.forEach((object, i) => {
      const matrix = matrixOf(poses, frame, object, size);
      const from = scratch.position.clone();
      from.toArray(places, 12 * i);
      tip.set(1.3, 0, 0).applyMatrix4(matrix).toArray(places, 12 * i + 3);
      from.toArray(places, 12 * i + 6);
      tip.set(0, 0.7, 0).applyMatrix4(matrix).toArray(places, 12 * i + 9);
    });
    if (known) {
      known.needsUpdate = true;
    } else {
      const [nose, top] = [new Color(night.persimmon), new Color(night.upward)];
      const one = [nose, nose, top, top].flatMap((colour) => [colour.r, colour.g, colour.b]);
      this.noses = coloured([...places], objects.flatMap(() => one), this.materials.axes());
      this.noses.renderOrder = 2;
      this.group.add(this.noses);
    }
  }

  /** Nose, top and side of one thing at places along its way. */
  showWay(poses: Poses, size: number, object: number | null): void {
    if (this.way) {
      this.group.remove(this.way);
      this.way.geometry.dispose();
      this.way = null;
    }
    if (object === null || object >= poses.things) return;
    const [places, colours]: [number[], number[]] = [[], []];
    const tones = [night.persimmon, night.upward, night.sideward].map((tone) => new Color(tone));
    const last = poses.frames - 1;
    for (let station = 0; station < STATIONS; station += 1) {
      const frame = Math.round((station * last) / STATIONS);
      if (!isHere(poses, frame)) continue;
      const matrix = matrixOf(poses, frame, object, size);
      const from = scratch.position.clone();
      [new Vector3(1, 0, 0), new Vector3(0, 1.5, 0), new Vector3(0, 0, 1)].forEach((way, i) => {
        places.push(...from.toArray(), ...way.applyMatrix4(matrix).toArray());
        const tone = tones[i] ?? new Color();
        colours.push(tone.r, tone.g, tone.b, tone.r, tone.g, tone.b);
      });
    }
    if (places.length === 0) return;
    this.way = coloured(places, colours, this.materials.axes());
    this.way.renderOrder = 2;
    this.group.add(this.way);
  }

  dispose(): void {
    this.noses?.geometry.dispose();
    this.way?.geometry.dispose();
  }
}
