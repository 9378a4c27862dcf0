// @vitest-environment jsdom
import { afterEach, describe, expect, it, vi } from 'vitest';
import { clock } from './clock';

afterEach(() => {
  clock.stop();
  vi.useRealTimers();
});

describe('playing', () => {
  const frames = (seconds: number): number[] => {
    const seen: number[] = [];
    for (let i = 0; i < seconds * 20; i += 1) {
      vi.advanceTimersByTime(50);
      seen.push(clock.frame);
    }
    return seen;
  };
  const begin = (mode: typeof clock.mode) => {
    vi.useFakeTimers({ toFake: ['requestAnimationFrame', 'cancelAnimationFrame', 'performance'] });
    clock.setTiming(48, 24);
    clock.setRange(null);
    clock.setSpeed(1);
    clock.setMode(mode);
    clock.seek(0);
  };
  afterEach(() => {
    clock.stop();
    clock.setRange(null);
    clock.setSpeed(1);
    clock.setMode('loop');
  });

  it('once ends on the last frame, and begins anew when it is played again', () => {
    begin('once');
    clock.play();
    frames(3);
    expect(clock.playing).toBe(false);
    expect(clock.frame).toBe(47);
    clock.play();
    expect(clock.frame).toBe(0);
  });

  it('there and back turns at both ends and never leaves them', () => {
    begin('there and back');
    clock.play();
    const seen = frames(8);
    expect(Math.max(...seen)).toBeLessThanOrEqual(47);
    expect(Math.min(...seen)).toBeGreaterThanOrEqual(0);
    const turns = seen.slice(2).filter((frame, i) => Math.sign(frame - seen[i + 1]!) !== Math.sign(seen[i + 1]! - seen[i]!));
    expect(turns.length).toBe(4);
  });

  it('keeps within the played frames, also when it begins outside them', () => {
    begin('loop');
    clock.setRange({ from: 10, to: 20 });
    clock.seek(40);
    clock.play();
    expect(frames(3).every((frame) => frame >= 10 && frame < 20)).toBe(true);
    clock.setTiming(15, 24);
    expect(clock.range).toBeNull();
  });

  it('slow goes so much slower', () => {
    begin('loop');
    clock.setSpeed(0.25);
    clock.play();
    vi.advanceTimersByTime(2000);
    expect(Math.abs(clock.frame - 12)).toBeLessThan(1);
  });

  it('goes on where it was after the page slept', () => {
    begin('loop');
    clock.play();
    vi.advanceTimersByTime(100);
    const before = clock.frame;
    vi.setSystemTime?.(0);
    const asleep = performance.now() + 3_600_000;
    vi.spyOn(performance, 'now').mockReturnValue(asleep);
    vi.advanceTimersByTime(16);
    expect(clock.frame - before).toBeLessThan(13);
    vi.restoreAllMocks();
  });
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
