import { Color, Matrix4, Quaternion, Vector3 } from 'three';
import { isThere, startOf, type Poses } from '../../../scene/taken/poses';

/** For what is not seen. */
export const nothing = new Matrix4().makeScale(0, 0, 0);
export const scratch = { matrix: new Matrix4(), position: new Vector3(), turn: new Quaternion(), scale: new Vector3(), colour: new Color() };

/** How a thing is drawn at a whole frame; its place stays in `scratch`. */
export function matrixOf(poses: Poses, frame: number, object: number, size: number): Matrix4 {
  scratch.position.fromArray(poses.numbers, startOf(poses, 'position', frame, object) ?? 0);
  const turn = startOf(poses, 'orientation', frame, object);
  if (turn === null) scratch.turn.identity();
  else scratch.turn.fromArray(poses.numbers, turn);
  const scale = startOf(poses, 'scale', frame, object);
  if (!isThere(poses, frame, object)) scratch.scale.setScalar(0);
  else if (scale === null) scratch.scale.setScalar(size);
  else scratch.scale.fromArray(poses.numbers, scale).multiplyScalar(size);
  return scratch.matrix.compose(scratch.position, scratch.turn, scratch.scale);
}
