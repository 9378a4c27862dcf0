import type { Baked, Op, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { freeName, freePlace } from '../weave/work';

/** Ids of what a bake makes, the same from one look to the next: a node a thing, and what brings them together. */
export interface BakedIds {
  group: string;
  things: string[];
  gathered: string[];
}

/** Most motions that one Together takes. */
const PORTS = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth'];

/** Ids for so many things. */
export function bakedIds(count: number, fresh: (word: string) => string): BakedIds {
  const things = Array.from({ length: count }, () => fresh('pose'));
  let left = count;
  const gathered: string[] = [];
  while (left > 1) {
    left = Math.ceil(left / PORTS.length);
    gathered.push(...Array.from({ length: left }, () => fresh('together')));
  }
  return { group: fresh('group'), things, gathered };
}

/**
 * The edit that puts keys in place of a motion: a node for each thing, brought together where there are several, and
 * whatever took the motion takes them. The source goes with its threads, or stays with nothing after it.
 */
export function bakingOps(document: Scene, source: string, baked: Baked, ids: BakedIds, keep: boolean): Op[] {
  const node = document.nodes?.[source];
  const [x = 24, y = 0] = node?.at ?? [];
  const wished = `${node?.name ?? 'Motion'}, keys`;
  const several = baked.things.length > 1;
  const ops: Op[] = [];
  if (several) ops.push(put(['groups', ids.group], { name: wished }));
  const inGroup = several ? { group: ids.group } : {};
  const names: string[] = [];
  const named = (name: string) => {
    const free = freeName(document, name, names);
    names.push(free);
    return free;
  };
  baked.things.forEach((thing, i) => {
    const at = several ? [x + 190 + 180 * (i % PORTS.length), y + 110 * Math.floor(i / PORTS.length)] : freePlace(document, [x + 190, y]);
    ops.push(put(['nodes', ids.things[i] ?? ''], { type: 'pose', name: named(several ? `${wished} ${i + 1}` : wished), at, params: thing.params, ...inGroup }));
  });
  let row = ids.things;
  let made = 0;
  let depth = Math.ceil(row.length / PORTS.length);
  while (row.length > 1) {
    const next: string[] = [];
    for (let i = 0; i < row.length; i += PORTS.length) {
      const id = ids.gathered[made] ?? '';
      made += 1;
      next.push(id);
      ops.push(put(['nodes', id], { type: 'together', name: named(wished), at: [x + 190 + 180 * (next.length - 1), y + 110 * depth], ...inGroup }));
      row.slice(i, i + PORTS.length).forEach((from, port) => ops.push(put(['threads', `${id}-${port}`], { from, to: id, port: PORTS[port] })));
    }
    row = next;
    depth += 1;
  }
  const last = row[0] ?? '';
  for (const [id, thread] of Object.entries(document.threads ?? {})) {
    if (thread.from !== source) continue;
    ops.push(remove(['threads', id]), put(['threads', `${id}-keys`], { ...thread, from: last }));
  }
  // Kept only to be compared with, it is out of sight.
  ops.push(keep ? put(['nodes', source, 'hidden'], true) : remove(['nodes', source]));
  return ops;
}

/** What a bake gives, in words. */
export function bakedWords(baked: Baked): string {
  const off = baked.off < 1e-3 ? `${(baked.off * 1e6).toFixed(1)} µm` : `${(baked.off * 1e3).toFixed(2)} mm`;
  const plain = (frame: number) => String(Number(frame.toFixed(2)));
  return `${baked.before} → ${baked.after} keys · off by at most ${off} at frame ${plain(baked.off_frame)} and ${baked.turned_off.toFixed(2)}° at frame ${plain(baked.turned_off_frame)}`;
}
