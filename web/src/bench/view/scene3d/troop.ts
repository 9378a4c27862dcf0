import { DoubleSide, InstancedMesh, Mesh, MeshBasicMaterial, type Box3, type Color, type Raycaster } from 'three';
import type { BentReport } from '../../../api/types';
import type { Body } from '../../../scene/taken/bodies';
import { formOf, startOf, type Poses } from '../../../scene/taken/poses';
import { CUT_ATTRIBUTE } from './materials';
import { bentBox, bentGeometry, type Chains } from './shapes/bent';
import { dentInto } from './shapes/dented';
import { CLIP_ATTRIBUTE, rowAt, type Posing } from './shapes/clips';
import { wholeOf } from './shapes/simpler';

/** Things that are drawn alike. */
export interface Troop {
  objects: number[];
  meshes: InstancedMesh[];
  ghosts: InstancedMesh[];
  /** The clips that it plays, if any. */
  posing: Posing | null;
  /** Its joints and how it is bent by them, if it is. */
  chains: Chains | null;
  bent: BentReport | null;
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

/** Bends an instance, whose joints stand in a row, as its thing is. */
export function bendAt(poses: Poses, { chains }: Troop, meshes: InstancedMesh[], instance: number, row: number, frame: number, object: number): void {
  const start = chains && formOf(poses, frame, object);
  if (!chains || start === null) return;
  chains.set(row, poses.numbers, start);
  for (const mesh of meshes) mesh.geometry.getAttribute(CLIP_ATTRIBUTE).setXY(instance, 0, row);
}

/** Gives what is dented the form that it has at a frame. */
export function dentAt(poses: Poses, { dented, meshes }: Troop, frame: number, object: number): void {
  const start = dented && formOf(poses, frame, object);
  if (dented && start !== null) for (const mesh of meshes) dentInto(mesh.geometry, dented.body, poses.numbers, start, dented.deepest);
}

/** The box around the form of a thing, as it is bent at a frame, in its own axes. */
export function boxOf(poses: Poses, { bent }: Troop, mesh: InstancedMesh, object: number, frame: number): Box3 | null {
  const start = bent && formOf(poses, frame, object);
  if (bent && start !== null) return bentBox(mesh.geometry, poses.numbers, start, bent.joints, bent.length);
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

/** Bent things that a ray meets, as they are drawn. */
export function bentHits(poses: Poses, caster: Raycaster, { bent, meshes, objects }: Troop, now: number): { object: number; distance: number }[] {
  const either = new MeshBasicMaterial({ side: DoubleSide });
  return meshes.flatMap((mesh) =>
    objects.flatMap((object, i) => {
      const start = bent && formOf(poses, now, object);
      if (!bent || start === null) return [];
      const form = new Mesh(bentGeometry(mesh.geometry, poses.numbers, start, bent.joints, bent.length), either);
      mesh.getMatrixAt(i, form.matrixWorld);
      const hits = caster.intersectObject(form, false).map(({ distance }) => ({ object, distance }));
      form.geometry.dispose();
      return hits.slice(0, 1);
    }),
  );
}
