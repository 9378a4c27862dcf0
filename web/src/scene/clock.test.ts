// @vitest-environment jsdom
import { afterEach, describe, expect, it, vi } from 'vitest';
import { clock } from './clock';

afterEach(() => {
  clock.stop();
  vi.useRealTimers();
});

describe('the playhead', () => {
  it('wraps into the loop from either side', () => {
    clock.setTiming(120, 24);
    clock.seek(121.5);
    expect(clock.frame).toBe(1.5);
    clock.seek(-1);
    expect(clock.frame).toBe(119);
    clock.step(1);
    expect(clock.frame).toBe(0);
    clock.step(-10);
    expect(clock.frame).toBe(110);
  });

  it('stays inside a loop that gets shorter', () => {
    clock.setTiming(120, 24);
    clock.seek(119);
    clock.setTiming(50, 24);
    expect(clock.frame).toBe(19);
  });

  it('runs at the rate of the scene and stops on a whole frame', () => {
    vi.useFakeTimers({ toFake: ['requestAnimationFrame', 'cancelAnimationFrame', 'performance'] });
    clock.setTiming(1000, 24);
    clock.seek(0);
    clock.play();
    vi.advanceTimersByTime(2000);
    expect(Math.abs(clock.frame - 48)).toBeLessThan(1);
    expect(clock.playing).toBe(true);
    clock.toggle();
    expect(Number.isInteger(clock.frame)).toBe(true);
    const stood = clock.frame;
    vi.advanceTimersByTime(500);
    expect(clock.frame).toBe(stood);
  });

  it('tells those who listen, until they leave', () => {
    const seen: number[] = [];
    const leave = clock.subscribe(() => seen.push(clock.frame));
    clock.seek(3);
    leave();
    clock.seek(4);
    expect(seen).toEqual([3]);
  });
});
