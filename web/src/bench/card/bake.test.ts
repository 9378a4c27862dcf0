import { describe, expect, it } from 'vitest';
import type { Baked, Scene } from '../../api/types';
import { applied } from '../../scene/edits';
import { bakedIds, bakedWords, bakingOps } from './bake';

const scene = { nodes: { jump: { type: 'launch', name: 'Jump', at: [24, 40] }, ball: { type: 'output', name: 'Ball', at: [24, 170] } }, threads: { t1: { from: 'jump', to: 'ball', port: 'motion' } } } as unknown as Scene;
const baked = (things: number): Baked => ({ things: Array.from({ length: things }, (_, i) => ({ params: { at: [i, 0, 0] }, keys: 3 })), before: 300, after: 3 * things, off: 0.00042, off_frame: 12.25, turned_off: 0, turned_off_frame: 0 }) as Baked;
let number = 0;
const fresh = (word: string) => `${word}-${(number += 1)}`;

describe('a bake', () => {
  it('puts one node of keys where the motion was, and may take the source away', () => {
    for (const keep of [true, false]) {
      const after = applied(scene, bakingOps(scene, 'jump', baked(1), bakedIds(1, fresh), keep));
      const threads = Object.values(after.threads ?? {});
      expect(threads).toHaveLength(1);
      expect(after.nodes?.[threads[0]?.from ?? '']).toMatchObject({ type: 'pose', name: 'Jump, keys', params: { at: [0, 0, 0] } });
      expect('jump' in (after.nodes ?? {})).toBe(keep);
      expect(after.groups ?? {}).toEqual({});
    }
  });

  it('gathers any number of things in their order', () => {
    for (const count of [2, 6, 7, 40, 64]) {
      const after = applied(scene, bakingOps(scene, 'jump', baked(count), bakedIds(count, fresh), true));
      const gathered = (id: string): number[] => {
        const node = after.nodes?.[id];
        if (node?.type === 'pose') return [((node.params as { at: number[] }).at[0] ?? 0)];
        const order = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth', 'motion'];
        const fed = Object.values(after.threads ?? {}).filter((thread) => thread.to === id);
        return fed.sort((a, b) => order.indexOf(a.port) - order.indexOf(b.port)).flatMap((thread) => gathered(thread.from));
      };
      expect(gathered('ball')).toEqual(Array.from({ length: count }, (_, i) => i));
      const names = Object.values(after.nodes ?? {}).map((node) => node.name);
      expect(new Set(names).size).toBe(names.length);
    }
  });

  it('says how many keys are left and what they miss', () => {
    expect(bakedWords(baked(2))).toBe('300 → 6 keys · off by at most 420.0 µm at frame 12.25 and 0.00° at frame 0');
  });
});
