import { Color, Matrix4, Quaternion, Vector3 } from 'three';
import type { Poses } from '../../../scene/store';

/** For what is not seen. */
export const nothing = new Matrix4().makeScale(0, 0, 0);
export const scratch = { matrix: new Matrix4(), position: new Vector3(), turn: new Quaternion(), scale: new Vector3(), colour: new Color() };

/** How a thing is drawn at a whole frame; its place stays in `scratch`. */
export function matrixOf(poses: Poses, frame: number, object: number, size: number): Matrix4 {
  const start = (frame * poses.things + object) * poses.floats;
  scratch.position.fromArray(poses.numbers, start);
  scratch.turn.fromArray(poses.numbers, start + 3);
  scratch.scale.setScalar((poses.numbers[start + 7] ?? 1) * size);
  return scratch.matrix.compose(scratch.position, scratch.turn, scratch.scale);
}
