import { describe, expect, it } from 'vitest';
import { pulled, type Part } from './recorded';

describe('a part of a recording', () => {
  const whole = 2;
  const moments = 61;
  const step = whole / (moments - 1);

  it('begins and ends at moments, within the recording, in order, wherever its ends are pulled', () => {
    for (const part of [[0, 1], [0.5, 1.5], [1, 2], [0.3, 0.4]] as Part[]) {
      for (let seconds = -1; seconds < 3; seconds += 0.0371) {
        for (const end of [0, 1] as const) {
          const next = pulled(part, end, seconds, moments, whole);
          expect(next[1 - end]).toBe(part[1 - end]);
          expect(Math.abs(next[end] / step - Math.round(next[end] / step))).toBeLessThan(1e-9);
          expect(next[0]).toBeGreaterThanOrEqual(0);
          expect(next[1]).toBeLessThanOrEqual(whole + 1e-9);
          expect(next[1] - next[0]).toBeGreaterThan(1.5 * step);
        }
      }
    }
  });

  it('is where it is pulled to, to half a moment', () => {
    expect(Math.abs(pulled([0.2, 1], 0, 0.512, moments, whole)[0] - 0.512)).toBeLessThanOrEqual(step / 2);
    expect(Math.abs(pulled([0.2, 1], 1, 1.777, moments, whole)[1] - 1.777)).toBeLessThanOrEqual(step / 2);
  });
});
