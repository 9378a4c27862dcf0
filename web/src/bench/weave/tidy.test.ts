import { describe, expect, it } from 'vitest';
import type { Scene } from '../../api/types';
import { laidNodes, SLIP } from './lay';
import { tidied } from './tidy';

/** Numbers from 0 to 1, the same for the same seed. */
function random(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 1664525 + 1013904223) % 2 ** 32;
    return state / 2 ** 32;
  };
}

/** So many nodes, each fed by some that come before it; some stand in groups. */
function scene(seed: number, count: number): Scene {
  const next = random(seed);
  const nodes = Object.fromEntries(Array.from({ length: count }, (_, i) => [`n${i}`, { type: 'ride', name: `Ride ${i}`, ...(next() < 0.3 && { group: `g${Math.floor(2 * next())}` }) }]));
  const threads: Record<string, object> = {};
  for (let i = 1; i < count; i += 1) {
    for (let k = 0; k < 2; k += 1) if (next() < 0.8) threads[`t${i}-${k}`] = { from: `n${Math.floor(i * next())}`, to: `n${i}`, port: `p${k}` };
  }
  return { nodes, threads, groups: { g0: { name: 'One' }, g1: { name: 'Other' } } } as unknown as Scene;
}

const crossings = (document: Scene, places: Record<string, [number, number]>): number => {
  const lines = Object.values(document.threads ?? {}).map(({ from, to }) => [places[from]!, places[to]!] as const);
  const side = ([ax, ay]: readonly number[], [bx, by]: readonly number[], [cx, cy]: readonly number[]) => Math.sign((bx! - ax!) * (cy! - ay!) - (by! - ay!) * (cx! - ax!));
  let count = 0;
  for (const [i, [a, b]] of lines.entries()) for (const [c, d] of lines.slice(i + 1)) if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) count += 1;
  return count;
};

describe('tidying the Weave', () => {
  it('lays no slip over another, and what gives above what takes', () => {
    for (let seed = 1; seed <= 14; seed += 1) {
      const document = scene(seed, 2 + (seed % 24));
      const places = tidied(document);
      const all = Object.values(places);
      expect(all).toHaveLength(Object.keys(document.nodes ?? {}).length);
      for (const [i, [x, y]] of all.entries()) for (const [u, v] of all.slice(i + 1)) expect(Math.abs(x - u) >= SLIP.width || Math.abs(y - v) >= SLIP.height, `${seed}: ${x}, ${y} and ${u}, ${v}`).toBe(true);
      for (const { from, to } of Object.values(document.threads ?? {})) expect(places[to]![1], `${seed}: ${from} to ${to}`).toBeGreaterThanOrEqual(places[from]![1] + SLIP.height);
    }
  });

  it('keeps the slips of a group together: no other lies within its frame', () => {
    for (let seed = 1; seed <= 14; seed += 1) {
      const document = scene(seed, 2 + (seed % 24));
      for (const [id, at] of Object.entries(tidied(document))) document.nodes![id]!.at = at;
      const laid = laidNodes(document, [], [], { dragged: {}, sizes: {} });
      for (const frame of laid.filter((node) => node.type === 'group-slip')) {
        const { width = 0, height = 0 } = frame.measured ?? {};
        const strangers = laid.filter((node) => node.type === 'slip' && `group ${document.nodes![node.id]!.group}` !== frame.id);
        for (const { id, position } of strangers) {
          const apart = position.x >= frame.position.x + width || position.x + SLIP.width <= frame.position.x || position.y >= frame.position.y + height || position.y + SLIP.height <= frame.position.y;
          expect(apart, `${seed}: ${id} in ${frame.id}`).toBe(true);
        }
      }
    }
  });

  it('crosses no threads where none need cross', () => {
    const threads = [['a', 'd'], ['b', 'c'], ['d', 'out'], ['c', 'out'], ['s', 'd']].map(([from, to], i) => [`t${i}`, { from, to, port: 'x' }]);
    const document = { nodes: Object.fromEntries(['a', 'b', 'c', 'd', 's', 'out'].map((id) => [id, { type: 'ride', name: id }])), threads: Object.fromEntries(threads) } as unknown as Scene;
    expect(crossings(document, tidied(document))).toBe(0);
  });

  it('lays nothing where there is nothing', () => {
    expect(tidied({} as Scene)).toEqual({});
  });
});
