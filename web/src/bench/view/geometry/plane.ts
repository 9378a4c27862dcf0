import { MathUtils, Plane, Quaternion, type Ray, Vector3 } from 'three';

export const bases = ['ground', 'front', 'side'] as const;
export type Base = (typeof bases)[number];

/** The plane in which is drawn and moved: one of the three, tilted and turned, through a point. */
export interface WorkPlane {
  base: Base;
  /** A point of it, metres. */
  through: [number, number, number];
  /** Degrees about its own right-hand axis. */
  tilt: number;
  /** Degrees about the vertical, counterclockwise from above. */
  heading: number;
}

/** The sine of the angle between a line of sight and a plane. */
export const slant = (ray: Ray, plane: Plane): number => Math.abs(ray.direction.dot(plane.normal));

/** Below this slant a plane is seen from its edge: what the pointer is over lies far away, or nowhere. */
export const EDGE_ON = 0.05;

/** A plane with a right and an up direction in it. */
export interface Axes {
  origin: Vector3;
  right: Vector3;
  up: Vector3;
  normal: Vector3;
}

const turned: Record<Base, Quaternion> = {
  ground: new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), -Math.PI / 2),
  front: new Quaternion(),
  side: new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), Math.PI / 2),
};

/** Right, up and normal of a work plane. */
export function axesOf(plane: WorkPlane): Axes {
  const turn = new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), MathUtils.degToRad(plane.heading));
  turn.multiply(turned[plane.base]).multiply(new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), MathUtils.degToRad(plane.tilt)));
  const along = (x: number, y: number, z: number) => new Vector3(x, y, z).applyQuaternion(turn);
  return { origin: new Vector3(...plane.through), right: along(1, 0, 0), up: along(0, 1, 0), normal: along(0, 0, 1) };
}

/** As three knows planes. */
export const planeOf = ({ origin, normal }: Axes): Plane => new Plane().setFromNormalAndCoplanarPoint(normal, origin);

/** Coordinates within a plane, metres to the right and up. */
export function within(axes: Axes, at: Vector3): [number, number] {
  const from = at.clone().sub(axes.origin);
  return [from.dot(axes.right), from.dot(axes.up)];
}

/** The place at coordinates within a plane. */
export function placeAt(axes: Axes, [x, y]: [number, number]): Vector3 {
  return axes.origin.clone().addScaledVector(axes.right, x).addScaledVector(axes.up, y);
}

/** The work plane through three places: tilt and heading of a ground plane; nothing when they lie on one line. */
export function planeThrough(a: Vector3, b: Vector3, c: Vector3): WorkPlane | null {
  const normal = b.clone().sub(a).cross(c.clone().sub(a));
  if (normal.length() < 1e-9 * Math.max(1, a.distanceTo(b) * a.distanceTo(c))) return null;
  normal.normalize();
  if (normal.y < 0) normal.negate();
  const tilt = MathUtils.radToDeg(Math.acos(Math.min(1, normal.y)));
  const heading = tilt < 1e-6 ? 0 : MathUtils.radToDeg(Math.atan2(normal.x, normal.z));
  return { base: 'ground', through: a.toArray(), tilt: Number(tilt.toFixed(6)), heading: Number(heading.toFixed(6)) };
}
