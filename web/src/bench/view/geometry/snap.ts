import { Vector3 } from 'three';
import { placeAt, within, type Axes } from './plane';

/** What a dragged place may be caught by. */
export interface Catch {
  /** Metres between the lines of the grid; 0 for none. */
  grid: number;
  /** Places of other points. */
  points: readonly Vector3[];
  /** Lines of other paths, as places in order. */
  paths: readonly (readonly Vector3[])[];
  /** How near it must be to a point or a path, metres. */
  reach: number;
}

/** The number of a grid nearest to x. */
export const onGrid = (x: number, step: number): number => (step > 0 ? Math.round(x / step) * step : x);

/** The place on a line of places nearest to another. */
export function nearestOnLine(line: readonly Vector3[], at: Vector3): Vector3 | null {
  let best: Vector3 | null = line[0]?.clone() ?? null;
  for (let i = 1; i < line.length; i += 1) {
    const [a, b] = [line[i - 1] as Vector3, line[i] as Vector3];
    const along = b.clone().sub(a);
    const t = Math.max(0, Math.min(1, at.clone().sub(a).dot(along) / Math.max(along.lengthSq(), 1e-30)));
    const place = a.clone().addScaledVector(along, t);
    if (!best || place.distanceToSquared(at) < best.distanceToSquared(at)) best = place;
  }
  return best;
}

/** A place caught by a point, else by a path, else by the grid of the plane through it. */
export function caught(at: Vector3, axes: Axes, by: Catch): Vector3 {
  const near = (places: readonly (Vector3 | null)[]) => {
    let best: Vector3 | null = null;
    for (const place of places) if (place && place.distanceTo(at) <= (best?.distanceTo(at) ?? by.reach)) best = place;
    return best;
  };
  const point = near(by.points) ?? near(by.paths.map((path) => nearestOnLine(path, at)));
  if (point) return point.clone();
  if (by.grid === 0) return at.clone();
  const [x, y] = within(axes, at);
  const height = at.clone().sub(axes.origin).dot(axes.normal);
  return placeAt(axes, [onGrid(x, by.grid), onGrid(y, by.grid)]).addScaledVector(axes.normal, height);
}

/** A place moved so that its way from another is straight along the plane's axes or halfway between them. */
export function straightened(from: Vector3, at: Vector3, axes: Axes): Vector3 {
  const way = at.clone().sub(from);
  const [x, y] = [way.dot(axes.right), way.dot(axes.up)];
  const eighth = Math.round(Math.atan2(y, x) / (Math.PI / 4)) * (Math.PI / 4);
  const direction = [Math.cos(eighth), Math.sin(eighth)] as const;
  const long = x * direction[0] + y * direction[1];
  return from.clone().addScaledVector(axes.right, long * direction[0]).addScaledVector(axes.up, long * direction[1]);
}

/** An angle in degrees on steps of so many; 0 leaves it. */
export const onAngle = (degrees: number, step: number): number => (step > 0 ? Math.round(degrees / step) * step : degrees);

/** Degrees between the directions to which an aim is held. */
const AIM_STEP = 15;

/** A place moved round another so that it lies in a direction of whole steps: within z = 0, or round y and up from the ground. */
export function inSteps(about: Vector3, at: Vector3, flat: boolean): Vector3 {
  const way = at.clone().sub(about);
  const long = way.length();
  const step = (radians: number) => (onAngle((radians * 180) / Math.PI, AIM_STEP) * Math.PI) / 180;
  if (flat) {
    const angle = step(Math.atan2(way.y, way.x));
    return about.clone().add(new Vector3(Math.cos(angle), Math.sin(angle), 0).multiplyScalar(Math.hypot(way.x, way.y)));
  }
  const level = Math.hypot(way.x, way.z);
  const [round, up] = [step(Math.atan2(-way.z, way.x)), step(Math.atan2(way.y, level))];
  return about.clone().add(new Vector3(Math.cos(up) * Math.cos(round), Math.sin(up), -Math.cos(up) * Math.sin(round)).multiplyScalar(long));
}
