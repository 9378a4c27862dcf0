import { describe, expect, it } from 'vitest';
import type { EndReport } from '../../api/types';
import { gap, gapText, outputsOf } from './gap';

const end = (output: boolean, seam: Partial<EndReport['seam']>) => ({ output, seam: { position: 0, velocity: 0, orientation: 0, spin: 0, leaps: [], leap_count: 0, flips: 0, ...seam } }) as EndReport;

describe('gaps', () => {
  it('have a unit and no more digits than they are worth', () => {
    expect(gap(0.3561, 'm')).toBe('0.36 m');
    expect(gap(1.2345, 'm/s')).toBe('1.23 m/s');
    expect(gap(101.4, '°/s')).toBe('101 °/s');
    expect(gap(10.99, '°')).toBe('10.99°');
    expect(gap(1e-9, 'm')).toBe('0 m');
    expect(gap(1e-9, '°')).toBe('0°');
    expect(gap(0.00002, 'm')).toBe('0.00002 m');
  });

  it('tell the worst in position first, else the first other one', () => {
    expect(gapText([end(true, { position: 0.1 }), end(true, { position: 0.2, spin: 9 })])).toBe('0.2 m');
    expect(gapText([end(true, { orientation: 90 })])).toBe('90.00°');
    expect(gapText([end(true, {})])).toBe('0 m');
  });

  it('tell the farthest leap where that is farther than any gap', () => {
    const leaps = [{ object: 0, frame: 40, metres: 7.7, degrees: 0 }];
    expect(gapText([end(true, { leaps, leap_count: 1 }), end(true, { position: 0.2 })])).toBe('leaps 7.70 m');
    expect(gapText([end(true, { leaps, leap_count: 1, position: 9 })])).toBe('9.00 m');
  });

  it('are those of the Outputs, or of all that moves while there is none', () => {
    const [a, b] = [end(true, {}), end(false, {})];
    expect(outputsOf([a, b])).toEqual([a]);
    expect(outputsOf([b])).toEqual([b]);
  });
});
