import { describe, expect, it } from 'vitest';
import { exactDecimal, readFraction, readNumber, shownNumber } from './number';

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
