import { DoubleSide, InstancedMesh, Mesh, MeshBasicMaterial, type Box3, type BufferGeometry, type Color, type Raycaster } from 'three';
import type { Body } from '../../../scene/taken/bodies';
import { formOf, startOf, type Poses } from '../../../scene/taken/poses';
import { CUT_ATTRIBUTE } from './materials';
import { dentInto } from './shapes/dented';
import { CLIP_ATTRIBUTE, rowAt, type Posing } from './shapes/clips';
import { wholeOf } from './shapes/simpler';

/** What carries corners: joints, or bones, whose numbers come as forms of things. */
export interface Skin {
  posing: Posing;
  /** Puts the numbers of a thing, which begin at `at`, into a row. */
  set(row: number, numbers: Float32Array, at: number): void;
  /** A form as it is drawn, in its thing's own axes. */
  formAt(hung: BufferGeometry, numbers: Float32Array, at: number): BufferGeometry;
  /** The box around that. */
  boxAt(hung: BufferGeometry, numbers: Float32Array, at: number): Box3;
}

/** Things that are drawn alike. */
export interface Troop {
  objects: number[];
  meshes: InstancedMesh[];
  ghosts: InstancedMesh[];
  /** The clips that it plays, if any. */
  posing: Posing | null;
  /** What carries its corners from frame to frame, if anything does. */
  skin: Skin | null;
  /** The body of the one thing that it is, if that is dented. */
  dented: { body: Body; deepest: number } | null;
  /** True where its form has a size of its own. */
  formed: boolean;
  /** The word for what they are drawn as, where that may be drawn more simply. */
  simple: string | null;
  /** The ends of its scale of colours, where it has colours. */
  colours: [Color, Color] | null;
}

/** Cuts an instance off as a thing is at a frame. */
export function cutAt(poses: Poses, meshes: InstancedMesh[], size: number, instance: number, frame: number, object: number): void {
  const start = startOf(poses, 'cut', frame, object);
  if (start === null) return;
  const [x = 0, y = 0, z = 0, beyond = 0] = poses.numbers.subarray(start, start + 4);
  for (const mesh of meshes) mesh.geometry.getAttribute(CUT_ATTRIBUTE).setXYZW(instance, x * size, y * size, z * size, beyond);
}

/** Puts an instance where its thing is in its clips. */
export function clipAt(poses: Poses, meshes: InstancedMesh[], posing: Posing | null, instance: number, frame: number, object: number): void {
  const start = posing && startOf(poses, 'clip', frame, object);
  if (!posing || start === null) return;
  const [mix = 0, phase = 0] = poses.numbers.subarray(start, start + 2);
  for (const mesh of meshes) mesh.geometry.getAttribute(CLIP_ATTRIBUTE).setXY(instance, mix * posing.between, rowAt(posing.rows, phase));
}

/** Carries the corners of an instance, whose joints stand in a row, as its thing is. */
export function carryAt(poses: Poses, { skin }: Troop, meshes: InstancedMesh[], instance: number, row: number, frame: number, object: number): void {
  const start = skin && formOf(poses, frame, object);
  if (!skin || start === null) return;
  skin.set(row, poses.numbers, start);
  for (const mesh of meshes) mesh.geometry.getAttribute(CLIP_ATTRIBUTE).setXY(instance, 0, row);
}

/** Gives what is dented the form that it has at a frame. */
export function dentAt(poses: Poses, { dented, meshes }: Troop, frame: number, object: number): void {
  const start = dented && formOf(poses, frame, object);
  if (dented && start !== null) for (const mesh of meshes) dentInto(mesh.geometry, dented.body, poses.numbers, start, dented.deepest);
}

/** The box around the form of a thing, as it is at a frame, in its own axes. */
export function boxOf(poses: Poses, { skin }: Troop, mesh: InstancedMesh, object: number, frame: number): Box3 | null {
  const start = skin && formOf(poses, frame, object);
  if (skin && start !== null) return skin.boxAt(mesh.geometry, poses.numbers, start);
  const whole = wholeOf(mesh);
  whole.computeBoundingBox();
  return whole.boundingBox;
}

export function renew(meshes: InstancedMesh[]): void {
  for (const mesh of meshes) {
    mesh.instanceMatrix.needsUpdate = true;
    const cut = mesh.geometry.attributes[CUT_ATTRIBUTE];
    if (cut) cut.needsUpdate = true;
    const clip = mesh.geometry.attributes[CLIP_ATTRIBUTE];
    if (clip) clip.needsUpdate = true;
    mesh.boundingSphere = null;
  }
}

/** Things whose corners are carried that a ray meets, as they are drawn. */
export function carriedHits(poses: Poses, caster: Raycaster, { skin, meshes, objects }: Troop, now: number): { object: number; distance: number }[] {
  const either = new MeshBasicMaterial({ side: DoubleSide });
  return meshes.flatMap((mesh) =>
    objects.flatMap((object, i) => {
      const start = skin && formOf(poses, now, object);
      if (!skin || start === null) return [];
      const form = new Mesh(skin.formAt(mesh.geometry, poses.numbers, start), either);
      mesh.getMatrixAt(i, form.matrixWorld);
      const hits = caster.intersectObject(form, false).map(({ distance }) => ({ object, distance }));
      form.geometry.dispose();
      return hits.slice(0, 1);
    }),
  );
}
