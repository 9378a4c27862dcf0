import type { Vector2 } from 'three';

/** Pixels from a place to a straight piece. */
export function distanceToPiece(at: Vector2, a: Vector2, b: Vector2): number {
  const along = b.clone().sub(a);
  const t = Math.max(0, Math.min(1, at.clone().sub(a).dot(along) / Math.max(along.lengthSq(), 1e-12)));
  return a.clone().addScaledVector(along, t).distanceTo(at);
}
