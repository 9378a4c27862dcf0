import type { EndReport } from '../../api/types';
import { shownNumber } from '../card/fields/number';

/** The Outputs, or everything that moves while there is none. */
export function outputsOf(ends: EndReport[]): EndReport[] {
  const outputs = ends.filter((end) => end.output);
  return outputs.length > 0 ? outputs : ends;
}

export const kinds = [
  { key: 'position', label: 'position', unit: 'm' },
  { key: 'velocity', label: 'velocity', unit: 'm/s' },
  { key: 'orientation', label: 'orientation', unit: '°' },
  { key: 'spin', label: 'spin', unit: '°/s' },
  { key: 'clip', label: 'clips', unit: 'cycles' },
  { key: 'form', label: 'form', unit: 'm' },
] as const;

/** A gap with its unit; what cannot be seen counts as none. */
export function gap(amount: number, unit: string): string {
  if (amount < 1e-6) return unit === '°' ? '0°' : `0 ${unit}`;
  const digits = amount >= 100 ? amount.toFixed(0) : amount >= 1 ? amount.toFixed(2) : Number(amount.toPrecision(2)).toString();
  const shown = unit === '°' || unit === '°/s' || amount >= 1e-4 ? digits : shownNumber(amount);
  return unit === '°' ? `${shown}°` : `${shown} ${unit}`;
}

/** The farthest leap, or the worst gap in position, or if there is none, the first other gap. */
export function gapText(ends: EndReport[]): string {
  const leap = Math.max(0, ...ends.map((end) => end.seam.leaps[0]?.metres ?? 0));
  const apart = Math.max(0, ...ends.map((end) => end.seam.position));
  if (leap > apart) return `leaps ${gap(leap, 'm')}`;
  for (const { key, unit } of kinds) {
    const worst = Math.max(...ends.map((end) => end.seam[key] ?? 0));
    if (worst > 1e-6) return gap(worst, unit);
  }
  return gap(0, 'm');
}
