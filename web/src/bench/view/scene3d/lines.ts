import { BufferAttribute, BufferGeometry, Group, LineSegments, Material, Object3D, Vector3 } from 'three';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import type { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import type { Contact } from '../../../api/types';
import { isHere, isThere, startOf, type Poses } from '../../../scene/taken/poses';
import type { PathBlock } from '../../../scene/store';

/** Lines of some pixels, each through its places: one thing to draw, however many they are. */
export function fat(lines: readonly Float32Array[], material: LineMaterial): LineSegments2 {
  const made = pairs(piecesOf(lines), material);
  if (material.dashed) made.computeLineDistances();
  return made;
}

/** The straight pieces of lines, in pairs of places. */
export function piecesOf(lines: readonly Float32Array[]): Float32Array {
  const pieces = lines.map((line) => Math.max(0, line.length / 3 - 1));
  const places = new Float32Array(6 * pieces.reduce((sum, count) => sum + count, 0));
  let at = 0;
  lines.forEach((line, k) => {
    for (let i = 0; i < (pieces[k] ?? 0); i += 1, at += 6) places.set(line.subarray(3 * i, 3 * i + 6), at);
  });
  return places;
}

/** Separate lines of some pixels, in pairs of places: one thing to draw, however many they are. */
export function pairs(places: number[] | Float32Array, material: LineMaterial): LineSegments2 {
  const lines = new LineSegments2(new LineSegmentsGeometry().setPositions(places), material);
  lines.frustumCulled = false;
  return lines;
}

/** Separate lines, with a colour at each end. */
export function coloured(places: number[], colours: number[], material: LineMaterial): LineSegments2 {
  const lines = pairs(places, material);
  lines.geometry.setColors(colours);
  return lines;
}

/** The ends of a line through the place of a contact, across its normal. `size` is that of the things. */
export function markOf({ place, normal, middle }: Contact, half: number, size: number): number[] {
  const [foot, up] = [new Vector3().fromArray(place), new Vector3().fromArray(normal)];
  const along = Math.abs(up.y) > 0.5 ? new Vector3(1, 0, 0) : new Vector3(0, 1, 0);
  // What is thrown without a size of its own touches with its middle; it is seen to with its edge.
  if (foot.distanceTo(new Vector3().fromArray(middle)) < 1e-6) foot.addScaledVector(up, -0.5 * size);
  return [...foot.clone().addScaledVector(along, -half).toArray(), ...foot.addScaledVector(along, half).toArray()];
}

/** Hairlines, in pairs of places. */
export function thin(places: number[] | Float32Array, material: Material): LineSegments {
  const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(places), 3));
  return new LineSegments(geometry, material);
}

export function clear(group: Group): void {
  for (const child of [...group.children] as (Object3D & { geometry?: BufferGeometry })[]) {
    child.geometry?.dispose();
    group.remove(child);
  }
}

/** The strands of a path as places in order. */
export function strandsOf(block: PathBlock): Float32Array[] {
  let at = 0;
  return block.header.strands.map((strand) => {
    const points = block.numbers.subarray(at, at + strand.points * 3);
    at += strand.points * 3;
    return points;
  });
}

/** The strands of a path as they are at a frame; where it does not move, as they always are. */
export function strandsAt(block: PathBlock, frame: number): Float32Array[] {
  const { moments, strands, stations } = block.header;
  if (!moments || momentOf(block, frame) === 0) return strandsOf(block);
  const start = 3 * strands.reduce((sum, strand) => sum + strand.points, 0) + 9 * stations;
  const row = 3 * moments.points;
  const first = start + momentOf(block, frame) * strands.length * row;
  return strands.map((_, i) => block.numbers.subarray(first + i * row, first + (i + 1) * row));
}

/** Which moment of a path that moves a frame is nearest to. */
export function momentOf(block: PathBlock, frame: number): number {
  const { moments } = block.header;
  return moments ? Math.round(frame / moments.step) % moments.count : 0;
}

/** A strand's places as vectors. */
export const vectorsOf = (points: Float32Array): Vector3[] => Array.from({ length: points.length / 3 }, (_, i) => new Vector3().fromArray(points, 3 * i));

/** Places along a path with its direction and up there. */
export function stationsOf(block: PathBlock): { at: Vector3; along: Vector3; up: Vector3 }[] {
  const start = 3 * block.header.strands.reduce((sum, strand) => sum + strand.points, 0);
  const vector = (i: number, k: number) => new Vector3().fromArray(block.numbers, start + 9 * i + 3 * k);
  return Array.from({ length: block.header.stations }, (_, i) => ({ at: vector(i, 0), along: vector(i, 1), up: vector(i, 2) }));
}

/** Where a thing is at a whole frame; nothing where that is not known or the thing is not there. */
export function placeOf(poses: Poses, object: number, frame: number): Vector3 | null {
  if (object >= poses.things || !isHere(poses, frame) || !isThere(poses, frame, object)) return null;
  return new Vector3().fromArray(poses.numbers, startOf(poses, 'position', frame, object) ?? 0);
}

/** Where a thing goes, with its exact places at contacts in between; in pieces, where it is not there or begins anew. */
export function wakeOf(poses: Poses, contacts: readonly Contact[], object: number): Float32Array[] {
  const points: { frame: number; at: number[]; there: boolean }[] = [];
  for (let frame = 0; frame < poses.frames; frame += 1) {
    const start = startOf(poses, 'position', frame, object) ?? 0;
    if (isHere(poses, frame)) points.push({ frame, at: [...poses.numbers.subarray(start, start + 3)], there: isThere(poses, frame, object) });
  }
  const thereAt = (frame: number) => points.some((point) => point.there && Math.abs(point.frame - frame) <= 1);
  const touched = contacts.filter((contact) => contact.object === object && thereAt(contact.frame)).map(({ frame, middle }) => ({ frame, at: middle, there: true }));
  const all = [...points, ...touched].sort((a, b) => a.frame - b.frame);
  const pieces: number[][] = [];
  let open = false;
  for (const { at, there } of all) {
    if (there && !open) pieces.push([]);
    if (there) pieces.at(-1)?.push(...at);
    open = there;
  }
  return pieces.filter((piece) => piece.length > 3).map((piece) => Float32Array.from(piece));
}
