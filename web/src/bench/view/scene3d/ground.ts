import { Group, Vector3 } from 'three';
import { night } from '../../../theme/tokens';
import { clear, fat, thin } from './lines';
import type { Materials } from './materials';
import { placeAt, type Axes } from '../geometry/plane';

/** 1, 2 or 5 times a power of ten, at least the size asked for. */
export function niceStep(least: number): number {
  const power = 10 ** Math.floor(Math.log10(least));
  return ([1, 2, 5, 10].find((step) => step * power >= least - 1e-12) ?? 10) * power;
}

/** Rings on the ground of a deep scene. */
export function layRings(group: Group, reach: number, materials: Materials): void {
  const places: number[] = [];
  const step = niceStep(reach / 4);
  for (let ring = 1; ring <= 6; ring += 1) {
    for (let i = 0; i < 96; i += 1) {
      const [a, b] = [(i / 96) * 2 * Math.PI, ((i + 1) / 96) * 2 * Math.PI];
      places.push(ring * step * Math.cos(a), 0, ring * step * Math.sin(a), ring * step * Math.cos(b), 0, ring * step * Math.sin(b));
    }
  }
  for (let i = 0; i < 12; i += 1) {
    const angle = (i / 12) * 2 * Math.PI;
    places.push(0.5 * step * Math.cos(angle), 0, 0.5 * step * Math.sin(angle), 6 * step * Math.cos(angle), 0, 6 * step * Math.sin(angle));
  }
  group.add(thin(places, materials.thin(night.faint, 0.55)));
}

/** The picture edge and a grid within it, of a flat scene. */
export function layPicture(group: Group, { width, height }: { width: number; height: number }, materials: Materials): void {
  const places: number[] = [];
  const step = niceStep(Math.max(width, height) / 12);
  for (let x = Math.ceil(-width / 2 / step) * step; x <= width / 2; x += step) places.push(x, -height / 2, -0.01, x, height / 2, -0.01);
  for (let y = Math.ceil(-height / 2 / step) * step; y <= height / 2; y += step) places.push(-width / 2, y, -0.01, width / 2, y, -0.01);
  group.add(thin(places, materials.thin(night.faint, 0.28)));
  const [w, h] = [width / 2, height / 2];
  group.add(fat([Float32Array.of(-w, -h, 0, w, -h, 0, w, h, 0, -w, h, 0, -w, -h, 0)], materials.line(night.edge, 1.6, 1)));
}

/** The work plane as a grid, with its two own axes; `step` is the distance of its lines, metres. */
export function layPlane(group: Group, axes: Axes, step: number, materials: Materials): void {
  clear(group);
  const [fine, strong]: [number[], number[]] = [[], []];
  const count = 12;
  const line = (into: number[], from: [number, number], to: [number, number]) => into.push(...placeAt(axes, from).toArray(), ...placeAt(axes, to).toArray());
  for (let i = -count; i <= count; i += 1) {
    const into = i === 0 ? strong : fine;
    line(into, [i * step, -count * step], [i * step, count * step]);
    line(into, [-count * step, i * step], [count * step, i * step]);
  }
  group.add(thin(fine, materials.thin(night.edge, 0.3)), thin(strong, materials.thin(night.edge, 0.85)));
}

/** A cross in the work plane where the pen of the keyboard is. */
export function layPen(group: Group, at: Vector3, axes: Axes, size: number, materials: Materials): void {
  clear(group);
  const arm = (way: Vector3) => fat([Float32Array.of(...at.clone().addScaledVector(way, -size).toArray(), ...at.clone().addScaledVector(way, size).toArray())], materials.line(night.persimmon, 2.4, 1, true));
  group.add(arm(axes.right), arm(axes.up));
}
