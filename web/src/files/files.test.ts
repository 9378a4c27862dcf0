import { describe, expect, it } from 'vitest';
import type { OrderedFile } from '../api/types';
import { arrived, clock, howFar, roughly, size } from './files';

const file = (told: Partial<OrderedFile>): OrderedFile => ({
  id: 'a',
  scene: 's',
  scene_name: 'Fair',
  file: 'Fair.glb',
  own: true,
  asked_by: 'browser',
  asked_at: '2026-11-05T18:00:00Z',
  state: 'waiting',
  reached: 0,
  there: false,
  frames: [0, 120],
  ...told,
});

describe('files that were ordered', () => {
  it('say how far they are, and nothing that is not known', () => {
    expect(howFar(file({}), 1)).toBe('waits for its turn');
    expect(howFar(file({}), 0)).toContain('nobody works at files just now');
    expect(howFar(file({ state: 'running' }), 1)).toBe('begins');
    expect(howFar(file({ state: 'running', doing: 'writing', reached: 0.349, left: 12.4 }), 1)).toBe('writing · 34 % · about 12 s left');
    expect(howFar(file({ state: 'done', there: true, bytes: 38_123 }), 1)).toBe('written · 38.1 kB');
    expect(howFar(file({ state: 'done', bytes: 38_123 }), 1)).toContain('thrown away');
    expect(howFar(file({ state: 'failed', failure: 'Its scene was deleted.' }), 1)).toBe('Its scene was deleted.');
    expect(howFar(file({ state: 'stopped' }), 1)).toBe('stopped');
  });

  it('are saved once by the page that ordered them, and not where there is none', () => {
    const expected = new Set(['a', 'b', 'c']);
    const files = [file({ id: 'a', state: 'done', there: true }), file({ id: 'b', state: 'failed' }), file({ id: 'c', state: 'running' }), file({ id: 'd', state: 'done', there: true })];
    expect(arrived(files, expected).map(({ id }) => id)).toEqual(['a']);
    expect(arrived(files, expected)).toEqual([]);
    expect([...expected]).toEqual(['c']);
  });

  it('have sizes and times as they are read best', () => {
    expect([0, 999, 1000, 12_345_678, 2_500_000_000].map(size)).toEqual(['0 bytes', '999 bytes', '1 kB', '12.3 MB', '2.5 GB']);
    expect([0.4, 3.4, 61, 200, 7200].map(roughly)).toEqual(['about a second', 'about 3 s', 'about 60 s', 'about 3 min', 'about 2 h']);
    const now = new Date('2026-11-05T20:00:00Z');
    expect(clock('2026-11-05T18:00:00Z', now)).toMatch(/^\d\d:\d\d$/);
    expect(clock('2026-11-01T18:00:00Z', now)).toMatch(/\d.* \d\d:\d\d$/);
  });
});
