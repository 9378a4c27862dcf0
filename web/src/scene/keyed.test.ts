import { describe, expect, it } from 'vitest';
import { eased, handleOf, inserted, keyOps, keysOf, lengthened, LIFTED, lifted, moved, paced, paces, pastedKeys, copiedKeys, slopeOn, stretched, valueAtFrame, valueOn, withHandles, type Key } from './keyed';
import { applied } from './edits';
import type { Scene } from '../api/types';
import fixture from '../../../core/tests/fixtures/keyed.json';

const key = (id: string, frame: number, value: number, more: Partial<Key> = {}): Key => ({ id, frame, value, ...more });

/** Some lists of keys of all kinds, the same at each run. */
function lists(): Key[][] {
  let state = 7;
  const random = () => {
    state = (state * 16807) % 2147483647;
    return state / 2147483647;
  };
  const kinds = ['joined', 'split', 'flat', 'straight', 'held', undefined] as const;
  return Array.from({ length: 60 }, () => {
    let frame = 0;
    return Array.from({ length: 2 + Math.floor(random() * 5) }, (_, i) => {
      frame += 1 + random() * 20;
      const handle = (sign: number): [number, number] | undefined => (random() < 0.4 ? [sign * random() * 15, random() * 4 - 2] : undefined);
      const [before, after] = [handle(-1), handle(1)];
      return key(`k${i}`, frame, random() * 4 - 2, { handles: kinds[Math.floor(random() * 6)], ...(before && { before }), ...(after && { after }) });
    });
  });
}

const looks = (keys: readonly Key[]): number[] => {
  const [first, last] = [keys[0]?.frame ?? 0, keys.at(-1)?.frame ?? 1];
  return Array.from({ length: 200 }, (_, i) => first + ((last - first) * (i + 0.5)) / 200);
};

describe('the curve between keys', () => {
  it('is that of the core', () => {
    for (const { keys, looks } of fixture as unknown as { keys: Key[]; looks: [number, number][] }[]) for (const [frame, value] of looks) expect(valueOn(keys, frame)).toBeCloseTo(value, 9);
  });
});

describe('keys', () => {
  it('are passed by the curve, and a key that is put in leaves it as it is', () => {
    for (const keys of lists()) {
      for (const { frame, value } of keys) expect(valueOn(keys, frame)).toBeCloseTo(value, 9);
      const frame = (keys[0]?.frame ?? 0) * 0.3 + (keys.at(-1)?.frame ?? 0) * 0.7;
      const more = inserted(keys, frame, 'new');
      expect(more.length).toBe(keys.length + 1);
      // Where both handles reach all the way it runs upright in the middle, and no look is sharp enough.
      const upright = keys.slice(1).some((key, i) => handleOf(keys, i, true)[0] - handleOf(keys, i + 1, false)[0] > 1.7 * (key.frame - (keys[i]?.frame ?? 0)));
      for (const look of upright ? [] : looks(keys)) expect(valueOn(more, look)).toBeCloseTo(valueOn(keys, look), 6);
    }
  });

  it('take a pace where they are asked to, and cover as much as before', () => {
    for (const keys of lists()) {
      const inner = keys[1];
      if (keys.length < 3 || !inner || keys[0]?.handles === 'held') continue;
      const now = paced(keys, inner.id, 0.7);
      expect(slopeOn(now, inner.frame)).toBeCloseTo(0.7, 6);
      expect(now.map(({ frame, value }) => [frame, value])).toEqual(keys.map(({ frame, value }) => [frame, value]));
    }
  });

  it('lift the slowest point off zero and still go all the way', () => {
    for (const keys of [
      [key('a', 0, 0, { handles: 'flat' }), key('b', 60, 1, { handles: 'flat' })],
      [key('a', 0, 2), key('b', 30, 1, { handles: 'flat' }), key('c', 90, -1)],
      eased([key('a', 0, 0), key('b', 100, 5)], ['a', 'b'], 'both', 0.7),
    ]) {
      const now = lifted(keys);
      if (!now) throw new Error('it was not lifted');
      const [first, last] = [keys[0] as Key, keys.at(-1) as Key];
      const mean = Math.abs(last.value - first.value) / (last.frame - first.frame);
      expect(Math.abs(paces(keys)?.slowest[1] ?? 1)).toBeLessThan(1e-6);
      expect(Math.abs(paces(now)?.slowest[1] ?? 0)).toBeGreaterThan(0.9 * LIFTED * mean);
      for (const { frame, value } of [first, last]) expect(valueOn(now, frame)).toBeCloseTo(value, 9);
    }
    expect(lifted([key('a', 0, 0), key('b', 10, 1), key('c', 20, 0)])).toBeNull();
  });

  it('are moved to whole frames, stretched about a frame, and made longer in the direction they have', () => {
    const keys = [key('a', 0, 0), key('b', 10, 1, { before: [-2, -1], after: [3, 1.5] }), key('c', 30, 2)];
    expect(moved(keys, ['b'], 2.4, 0.5, true)[1]).toMatchObject({ frame: 12, value: 1.5 });
    expect(moved([key('a', 34.76, 1)], ['a'], -4.4, 0, true)[0]).toMatchObject({ frame: 30.76 });
    expect(moved([key('a', 34.76, 1)], ['a'], -4.4, 0, false)[0]).toMatchObject({ frame: 30.36 });
    expect(stretched(keys, ['b', 'c'], 10, 2, true).map(({ frame }) => frame)).toEqual([0, 10, 50]);
    const longer = lengthened(keys, ['b'], 2)[1] as Key;
    expect(longer.before).toEqual([-4, -2]);
    expect(longer.after).toEqual([6, 3]);
    expect(lengthened(keys, ['b'], 99)[1]?.before).toEqual([-10, -5]);
  });

  it('stand still at flat handles, hold at held ones, and run straight between straight ones', () => {
    const keys = [key('a', 0, 0), key('b', 10, 1), key('c', 20, 5)];
    expect(slopeOn(withHandles(keys, ['b'], 'flat'), 10)).toBeCloseTo(0, 9);
    expect(valueOn(withHandles(keys, ['b'], 'held'), 19.9)).toBe(1);
    const straight = withHandles(keys, ['a', 'b', 'c'], 'straight');
    expect(valueOn(straight, 12.5)).toBeCloseTo(2, 9);
    expect(slopeOn(eased(keys, ['b'], 'before'), 9.9999)).toBeCloseTo(0, 3);
    expect(slopeOn(eased(keys, ['b'], 'before'), 10)).not.toBeCloseTo(0, 3);
  });

  it('are changed one by one in the document, and are put in where they are pasted', () => {
    const keys = [key('a', 0, 0), key('b', 10, 1)];
    const scene = { nodes: { r: { type: 'ride', name: 'R', params: { laps: { keys }, at: [0, { keys }, 0] } } }, threads: {} } as unknown as Scene;
    for (const port of ['laps', 'at.y']) {
      const number = { node: 'r', port };
      const next = [key('b', 12, 1), key('c', 20, 3)];
      const after = applied(scene, keyOps(number, keys, next));
      expect(keysOf(after, number)?.keys).toEqual(next);
    }
    const clip = copiedKeys(keys, ['a', 'b']);
    if (!clip) throw new Error('nothing was copied');
    const { keys: more } = pastedKeys(keys, clip, 10);
    expect(more.map(({ frame, value }) => [frame, value])).toEqual([
      [0, 0],
      [10, 0],
      [20, 1],
    ]);
  });

  it('go on beyond their ends as they are told', () => {
    const keys = [key('a', 0, 0), key('b', 20, 2)];
    const at = (beyond: string, frame: number) => valueAtFrame({ keys, beyond }, 24, frame);
    expect([at('with the loop', 26), at('holds', 26), at('repeats', 25), at('climbs', 25), at('turns back', 25), at('runs on', 25)].map((x) => Number(x.toFixed(6)))).toEqual([2.2, 2, 0.5, 2.5, 1.5, 2.5]);
  });
});
