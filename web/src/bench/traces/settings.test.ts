import { describe, expect, it } from 'vitest';
import { movedBy, shifted, shownChannels, toggled, zoomed } from './settings';

describe('channels', () => {
  const names = ['position x', 'position y', 'speed', 'heading'];
  it('are drawn as chosen, in that order, or all', () => {
    expect(shownChannels(names, undefined)).toEqual([0, 1, 2, 3]);
    expect(shownChannels(names, ['speed', 'position x'])).toEqual([2, 0]);
    expect(shownChannels(names, ['gone'])).toEqual([0, 1, 2, 3]);
  });

  it('are taken in and out and moved, not beyond the ends', () => {
    expect(toggled(['a', 'b'], 'a')).toEqual(['b']);
    expect(toggled(['b'], 'a')).toEqual(['b', 'a']);
    expect(movedBy(['a', 'b', 'c'], 'c', -1)).toEqual(['a', 'c', 'b']);
    expect(movedBy(['a', 'b'], 'a', -1)).toEqual(['a', 'b']);
  });
});

describe('the window of the traces', () => {
  const whole = { from: -18, to: 138 };
  it('goes nearer to what is under the pointer, which stays there', () => {
    const near = zoomed(whole, whole, 60, 0.5);
    expect(near.to - near.from).toBeCloseTo(78, 9);
    expect((60 - near.from) / (near.to - near.from)).toBeCloseTo((60 + 18) / 156, 9);
  });

  it('never leaves all there is, nor gets shorter than a frame', () => {
    let window = zoomed(whole, whole, 130, 0.1);
    window = shifted(window, whole, 1000);
    expect(window.to).toBeCloseTo(138, 9);
    window = shifted(window, whole, -5000);
    expect(window.from).toBeCloseTo(-18, 9);
    expect(zoomed(whole, whole, 5, 1e-9)).toMatchObject({ to: expect.closeTo(zoomed(whole, whole, 5, 1e-9).from + 1, 6) as number });
    expect(zoomed(window, whole, 0, 1e9)).toEqual(whole);
  });
});
