import { describe, expect, it } from 'vitest';
import cases from '../../../core/tests/fixtures/edits.json';
import type { Op, Scene } from '../api/types';
import { applied, freshId, put, remove, valueAt } from './edits';

const scene = {
  format: 'zickzack-scene',
  version: 1,
  name: 'Round',
  space: 'deep',
  fps: '24',
  frames: 120,
  nodes: {
    path: { type: 'drawn-path', name: 'Way', params: { points: [{ id: 'a', at: [0, 0, 0] }, { id: 'b', at: [1, 0, 0] }] } },
    ride: { type: 'ride', name: 'Riders' },
  },
  threads: { t1: { from: 'path', to: 'ride', port: 'path' } },
} as unknown as Scene;

const shared: Scene = {
  ...scene,
  picture: { width: 16, height: 9 },
  nodes: {
    path: {
      type: 'drawn-path',
      name: 'Way',
      params: {
        points: [
          { id: 'a', at: [0, 0, 0] },
          { id: 'b', at: [1, 0, 0] },
          { id: 'c', at: [1, 0, 1] },
        ],
      },
    },
    ride: { type: 'ride', name: 'Riders' },
  },
};

describe('edits as the server does them', () => {
  for (const { about, ops, then } of cases as unknown as { about: string; ops: Op[]; then: Record<string, unknown> }[]) {
    it(about, () => {
      const next = applied(shared, ops);
      for (const [address, expected] of Object.entries(then)) expect(valueAt(next, address.split('/')), address).toEqual(expected);
    });
  }
});

describe('edits on the page', () => {
  it('leave everything that they do not touch the same object', () => {
    const next = applied(scene, [put(['nodes', 'ride', 'params', 'riders'], 7)]);
    expect(next).not.toBe(scene);
    expect(next.nodes?.['path']).toBe(scene.nodes?.['path']);
    expect(next.threads).toBe(scene.threads);
    expect(scene.nodes?.['ride']).toEqual({ type: 'ride', name: 'Riders' });
    expect(applied(scene, [remove(['nodes', 'ride', 'params', 'riders']), remove(['nodes', 'gone', 'params', 'x', 'y'])])).toBe(scene);
  });

  it('reach parameters and points by their ids', () => {
    const next = applied(scene, [put(['nodes', 'ride', 'params', 'riders'], 7), put(['nodes', 'path', 'params', 'points', 'b'], { id: 'b', at: [2, 0, 0] })]);
    expect(valueAt(next, ['nodes', 'ride', 'params', 'riders'])).toBe(7);
    expect(valueAt(next, ['nodes', 'path', 'params', 'points', 'b', 'at'])).toEqual([2, 0, 0]);
    expect(valueAt(scene, ['nodes', 'ride', 'params'])).toBeUndefined();
  });

  it('put new points where they are asked to go', () => {
    const next = applied(scene, [put(['nodes', 'path', 'params', 'points', 'c'], { id: 'c', at: [9, 9, 9] }, 'b')]);
    const ids = (valueAt(next, ['nodes', 'path', 'params', 'points']) as { id: string }[]).map((point) => point.id);
    expect(ids).toEqual(['a', 'c', 'b']);
  });

  it('take the threads of a removed node along', () => {
    expect(applied(scene, [remove(['nodes', 'path'])]).threads).toEqual({});
  });

  it('never make the same id twice in a row', () => {
    const ids = new Set(Array.from({ length: 2000 }, () => freshId('point')));
    expect(ids.size).toBe(2000);
  });
});
