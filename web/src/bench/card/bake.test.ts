import { describe, expect, it } from 'vitest';
import type { Baked, Scene } from '../../api/types';
import { applied } from '../../scene/edits';
import { againOps, bakedIds, bakedWords, bakingOps, changedByHand, partOf, posesOf, renewingOps, sumOf } from './bake';

const scene = { nodes: { jump: { type: 'launch', name: 'Jump', at: [24, 40] }, ball: { type: 'output', name: 'Ball', at: [24, 170] } }, threads: { t1: { from: 'jump', to: 'ball', port: 'motion' } } } as unknown as Scene;
const baked = (things: number): Baked => ({ things: Array.from({ length: things }, (_, i) => ({ params: { at: [i, 0, 0] }, keys: 3 })), before: 300, after: 3 * things, off: 0.00042, off_frame: 12.25, turned_off: 0, turned_off_frame: 0 });
const exactly = { tolerance: 1e-3, angle: 0.5 };
let number = 0;
const fresh = (word: string) => `${word}-${(number += 1)}`;

describe('a bake', () => {
  it('puts one node of keys where the motion was, and may take the source away', () => {
    for (const keep of [true, false]) {
      const after = applied(scene, bakingOps(scene, 'jump', baked(1), bakedIds(1, fresh), { ...exactly, keep }));
      const threads = Object.values(after.threads ?? {});
      expect(threads).toHaveLength(1);
      expect(after.nodes?.[threads[0]?.from ?? '']).toMatchObject({ type: 'pose', name: 'Jump, keys', params: { at: [0, 0, 0] } });
      expect('jump' in (after.nodes ?? {})).toBe(keep);
      expect(after.groups ?? {}).toEqual({});
    }
  });

  it('gathers any number of things in their order', () => {
    for (const count of [2, 6, 7, 40, 64]) {
      const after = applied(scene, bakingOps(scene, 'jump', baked(count), bakedIds(count, fresh), { ...exactly, keep: true }));
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

  const key = (id: string, frame: number, value: number) => ({ id, frame, value });
  const moving = (height: number): Baked => ({ ...baked(2), things: [1, 2].map((i) => ({ params: { at: [{ keys: [key('a', 0, i), key('b', 48, height)] }, height, 0], orientation: [0, 0, 0], scale: 1 }, keys: 2 })) });

  it('made again keeps what was changed by hand, unless it is to be replaced too', () => {
    const made = applied(scene, bakingOps(scene, 'jump', moving(3), bakedIds(2, fresh), { ...exactly, keep: true }));
    const [first = '', second = ''] = posesOf(made, 'jump');
    expect(changedByHand(made.nodes?.[first] as never)).toEqual([]);
    const edited = applied(made, [{ op: 'put', at: ['nodes', first, 'params', 'at', '0', 'keys', 'b'], value: key('b', 48, 9) }]);
    expect(changedByHand(edited.nodes?.[first] as never)).toEqual(['at.x']);
    const part = (document: Scene, id: string, port: 'at.x' | 'at.y') => partOf(document.nodes?.[id]?.params, port);
    const kept = applied(edited, againOps(edited, 'jump', moving(5), { tolerance: 0.01, angle: 1 }, false));
    expect(part(kept, first, 'at.x')).toEqual(part(edited, first, 'at.x'));
    expect([part(kept, first, 'at.y'), part(kept, second, 'at.y')]).toEqual([5, 5]);
    expect(part(kept, second, 'at.x')).toMatchObject({ keys: [{}, { value: 5 }] });
    // What was changed is still known to be, and how closely the rest was baked is.
    expect(changedByHand(kept.nodes?.[first] as never)).toEqual(['at.x']);
    expect(kept.nodes?.[first]?.baked).toMatchObject({ tolerance: 0.01, angle: 1, thing: 0 });
    const replaced = applied(edited, againOps(edited, 'jump', moving(5), exactly, true));
    expect(part(replaced, first, 'at.x')).toMatchObject({ keys: [{}, { value: 5 }] });
    expect(changedByHand(replaced.nodes?.[first] as never)).toEqual([]);
  });

  it('made again number by number changes no other', () => {
    const made = applied(scene, bakingOps(scene, 'jump', moving(3), bakedIds(2, fresh), { ...exactly, keep: true }));
    const [first = ''] = posesOf(made, 'jump');
    const node = made.nodes?.[first];
    const after = applied(made, renewingOps(first, node as never, moving(5), exactly, ['at.y']));
    expect(partOf(after.nodes?.[first]?.params as never, 'at.y')).toBe(5);
    expect(partOf(after.nodes?.[first]?.params as never, 'at.x')).toEqual(partOf(node?.params as never, 'at.x'));
    expect(renewingOps(first, node as never, moving(5), exactly, [])).toEqual([]);
    // A thing that the motion has no more stays as it is.
    expect(renewingOps(first, node as never, { ...moving(5), things: [] }, exactly, ['at.y'])).toEqual([]);
  });

  it('knows keys by what they do, not by their names or order', () => {
    const keys = [key('a', 0, 1), key('b', 12, 2)];
    expect(sumOf({ keys })).toBe(sumOf({ keys: [key('q', 12, 2), key('p', 0, 1)] }));
    expect(sumOf({ keys })).not.toBe(sumOf({ keys: [key('a', 0, 1), key('b', 12, 2.0000001)] }));
    expect(sumOf({ keys })).not.toBe(sumOf({ keys, beyond: 'holds' }));
    expect(sumOf(3)).not.toBe(sumOf(4));
  });

  it('says how many keys are left and what they miss', () => {
    expect(bakedWords(baked(2))).toBe('300 → 6 keys · off by at most 420.0 µm at frame 12.25 and 0.00° at frame 0');
  });
});
