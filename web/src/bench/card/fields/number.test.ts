import { describe, expect, it } from 'vitest';
import { exactDecimal, measureOf, readFraction, readNumber, shownNumber } from './number';

describe('typed numbers', () => {
  it('do arithmetic in the usual order', () => {
    expect(readNumber('1 + 2*3 - 4/8', 'none')).toBe(6.5);
    expect(readNumber('-(2+1) * 2', 'none')).toBe(-6);
  });

  it('take units and give the own one', () => {
    expect(readNumber('25 cm + 1 m', 'metres')).toBeCloseTo(1.25, 12);
    expect(readNumber('12mm', 'metres')).toBeCloseTo(0.012, 12);
    expect(readNumber('90°', 'laps')).toBeCloseTo(0.25, 12);
    expect(readNumber('3 m/s', 'speed')).toBe(3);
  });

  it('take times and lengths of the scene: frames, seconds, pixels, turns', () => {
    const ruler = { fps: 24, pixel: 16 / 1920 };
    expect(readNumber('1.5 s', 'frames', ruler)).toBeCloseTo(36, 12);
    expect(readNumber('250 ms', 'frames', ruler)).toBeCloseTo(6, 12);
    expect(readNumber('12 frames', 'seconds', ruler)).toBeCloseTo(0.5, 12);
    expect(readNumber('120 px + 1 cm', 'metres', ruler)).toBeCloseTo(1.01, 12);
    expect(readNumber('1/4 turn', 'degrees', ruler)).toBeCloseTo(90, 9);
    expect(readNumber('0.5 turns', 'laps', ruler)).toBeCloseTo(0.5, 12);
    expect(readNumber('36 km/h', 'speed', ruler)).toBeCloseTo(10, 12);
  });

  it('of a unit are read back as they are shown with it', () => {
    for (const unit of ['none', 'metres', 'speed', 'acceleration', 'frames', 'seconds', 'laps', 'degrees'] as const) {
      for (const fps of [24, 24000 / 1001, 240]) {
        const ruler = { fps, pixel: 0.01 };
        const { suffix } = measureOf(unit, ruler);
        for (const value of [0, 1, -2.5, 1234.5678, 0.0042]) expect(readNumber(`${shownNumber(value)} ${suffix}`, unit, ruler)).toBeCloseTo(value, 6);
      }
    }
  });

  it('say what is wrong with the rest', () => {
    for (const wrong of ['', '1 +', 'two', '1/0', '(1', '3 parsec', '1e999', 'NaN']) expect(() => readNumber(wrong, 'metres'), wrong).toThrow();
  });
});

describe('laps', () => {
  it('stay exact fractions', () => {
    expect(readFraction('9/7')).toBe('9/7');
    expect(readFraction('1.3 laps')).toBe('1.3');
    expect(readFraction('-2 / 3')).toBe('-2/3');
    expect(readFraction('1 + 0.5')).toBe('1.5');
    expect(() => readFraction('1/0')).toThrow();
  });

  it('are written without noise', () => {
    expect(exactDecimal(0.1 + 0.2)).toBe('0.3');
    expect(shownNumber(1 / 3)).toBe('0.3333');
    expect(shownNumber(-0.00001234)).toBe('-0.000012');
  });
});
