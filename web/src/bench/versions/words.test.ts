import { describe, expect, it } from 'vitest';
import { back } from './back';
import { shownValue, whenMade } from './words';

describe('a difference', () => {
  it('is taken back by putting what was there, or by removing what was not', () => {
    expect(back({ at: ['nodes', 'a', 'params', 'laps'], label: '', before: '9/7', after: '1' })).toEqual({ op: 'put', at: ['nodes', 'a', 'params', 'laps'], value: '9/7' });
    expect(back({ at: ['nodes', 'a', 'hidden'], label: '', before: null, after: true })).toEqual({ op: 'remove', at: ['nodes', 'a', 'hidden'] });
    expect(back({ at: ['nodes', 'a', 'hidden'], label: '', before: false, after: true })).toMatchObject({ op: 'put', value: false });
    expect(back({ at: ['frames'], label: '', before: 0, after: 3 })).toMatchObject({ op: 'put', value: 0 });
  });

  it('is told in a few signs', () => {
    expect(shownValue(1 / 3)).toBe('0.3333');
    expect(shownValue([1, 2.00049, -3])).toBe('1 2 -3');
    expect(shownValue(['left', 'top'])).toBe('left top');
    expect(shownValue([{ id: 'a' }])).toBe('1 entries');
    expect(shownValue([{ id: 'a' }, { id: 'b' }], ['nodes', 'a', 'params', 'points'])).toBe('2 points');
    expect(shownValue(null)).toBe('–');
    expect(shownValue(null, ['nodes', 'a', 'params', 'laps'])).toBe('default');
    expect(shownValue({ type: 'ride' })).toBe('there');
    expect(shownValue('x'.repeat(40))).toHaveLength(24);
  });
});

describe('the time of a version', () => {
  it('is told as one would in passing', () => {
    const now = new Date('2026-11-25T12:00:00');
    expect(whenMade(new Date('2026-11-25T11:59:50').toISOString(), now)).toBe('just now');
    expect(whenMade(new Date('2026-11-25T11:48:00').toISOString(), now)).toBe('12 min ago');
    expect(whenMade(new Date('2026-11-25T08:05:00').toISOString(), now)).toBe('at 08:05');
    expect(whenMade(new Date('2026-11-21T08:05:00').toISOString(), now)).toBe('2026-11-21 08:05');
  });
});
