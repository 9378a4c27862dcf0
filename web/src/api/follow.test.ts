// @vitest-environment jsdom
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { missing } from '../bench/view/OnItsWay';
import { clock } from '../scene/clock';
import { reset, takePoses, useScene } from '../scene/store';
import type { PosesHeader } from './blocks';
import { Follower } from './follow';

const FRAMES = 101;

/** What the server sends of frames that it says are kept. */
function sends(from: number, count: number, keeps = { from, count }): void {
  const header: PosesHeader = { kind: 'poses', stamp: { revision: 1, preview: 0, compared: false }, node: 'out', things: 1, columns: [{ name: 'position', width: 3, type: 'f32' }], forms: [], row: 3, frames: FRAMES, from, count, keeps };
  takePoses(header, new Float32Array(3 * count));
}

let asked: number[] = [];
let follower: Follower;

beforeEach(() => {
  vi.useFakeTimers();
  reset();
  useScene.setState({ connection: 'open' });
  clock.setTiming(100, 24);
  clock.seek(0);
  asked = [];
  follower = new Follower((frame) => asked.push(frame));
});
afterEach(() => {
  follower.close();
  vi.useRealTimers();
});

const goes = (frame: number, wait = 10_000): void => {
  clock.seek(frame);
  vi.advanceTimersByTime(wait);
};

it('of a motion that is here as a whole nothing is asked, also before all of it has come', () => {
  sends(0, 10, { from: 0, count: FRAMES });
  for (const frame of [0, 50, 99, 3]) goes(frame);
  expect(asked).toEqual([]);
});

it('asks where what comes next is not here, and not where it is', () => {
  sends(0, 20);
  goes(10);
  expect(asked).toEqual([]);
  goes(16);
  expect(asked).toEqual([16]);
  sends(12, 20);
  goes(26);
  expect(asked).toEqual([16]);
  // Back as well, and round the end.
  goes(5);
  expect(asked).toEqual([16, 5]);
  expect(missing()).toBe(5);
  sends(90, 11, { from: 90, count: 20 });
  sends(0, 9, { from: 90, count: 20 });
  goes(98);
  expect(asked).toEqual([16, 5]);
  expect(missing()).toBeNull();
});

it('asks again only when something has come or time has passed, and then for where the playhead is', () => {
  sends(0, 20);
  goes(50, 1);
  for (let frame = 51; frame < 61; frame += 1) goes(frame, 40);
  expect(asked).toEqual([50]);
  // The first of what was asked for.
  sends(50, 1, { from: 45, count: 20 });
  goes(70, 200);
  expect(asked).toEqual([50, 70]);
  goes(80, 1000);
  expect(asked).toEqual([50, 70]);
  vi.advanceTimersByTime(1000);
  expect(asked).toEqual([50, 70, 80]);
});

it('asks ahead of the playhead while it plays', () => {
  sends(0, 20);
  clock.play();
  clock.seek(50);
  vi.advanceTimersByTime(0);
  clock.stop();
  expect(asked).toEqual([62]);
});

it('asks for nothing any more once it is closed', () => {
  sends(0, 20);
  clock.seek(50);
  follower.close();
  vi.advanceTimersByTime(10_000);
  goes(60);
  expect(asked).toEqual([]);
});
