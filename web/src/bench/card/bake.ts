import type { Baked, BakedFrom, Op, Scene, SceneNode } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { isKeyed } from '../../scene/keyed';
import { freeName, freePlace } from '../weave/work';

/** Ids of what a bake makes, the same from one look to the next: a node a thing, and what brings them together. */
export interface BakedIds {
  group: string;
  things: string[];
  gathered: string[];
}

/** Most motions that one Together takes. */
const PORTS = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth'];

/** How closely a bake was asked to be: metres and degrees. */
export interface Exactness {
  tolerance: number;
  angle: number;
}

/** The numbers of a Pose, by their ports. */
export const POSE_PORTS = ['at.x', 'at.y', 'at.z', 'orientation.x', 'orientation.y', 'orientation.z', 'scale'] as const;
export type PosePort = (typeof POSE_PORTS)[number];

type Params = Record<string, unknown>;

const AXES = ['x', 'y', 'z'];
const whole: Params = { at: [0, 0, 0], orientation: [0, 0, 0], scale: 1 };

/** A number of a Pose, as its parameters give it. */
export function partOf(params: Params | undefined, port: PosePort): unknown {
  const [name = '', axis] = port.split('.');
  const value = params?.[name] ?? whole[name];
  return axis ? (value as unknown[])[AXES.indexOf(axis)] : value;
}

/** How many keys a number has. */
export const keyCount = (value: unknown): number => (isKeyed(value) ? value.keys.length : 0);

/** A check sum (FNV-1a) of a number or of its keys, whatever they are called and in whatever order they stand. */
export function sumOf(value: unknown): string {
  const plain = isKeyed(value) ? [value.beyond ?? '', ...[...value.keys].sort((a, b) => a.frame - b.frame).map(({ frame, value, handles, before, after }) => [frame, value, handles ?? '', before ?? [], after ?? []])] : value;
  let sum = 0x811c9dc5;
  for (const letter of JSON.stringify(plain)) sum = Math.imul(sum ^ (letter.codePointAt(0) ?? 0), 0x01000193) >>> 0;
  return sum.toString(16).padStart(8, '0');
}

/** What a Pose remembers of its bake. */
function remembered(from: string, thing: number, params: Params, { tolerance, angle }: Exactness): BakedFrom {
  return { from, thing, tolerance, angle, sums: Object.fromEntries(POSE_PORTS.map((port) => [port, sumOf(partOf(params, port))])) };
}

/** Numbers of a Pose that are not as they were baked. */
export function changedByHand(node: SceneNode): PosePort[] {
  return POSE_PORTS.filter((port) => node.baked?.sums[port] !== undefined && node.baked.sums[port] !== sumOf(partOf(node.params as Params, port)));
}

/** Nodes of keys that were baked from a node, in the order of its things. */
export function posesOf(document: Scene, source: string): string[] {
  const all = Object.entries(document.nodes ?? {}).filter(([, node]) => node.type === 'pose' && node.baked?.from === source);
  return all.sort(([, a], [, b]) => (a.baked?.thing ?? 0) - (b.baked?.thing ?? 0)).map(([id]) => id);
}

/** The edit that bakes numbers of a Pose again and leaves the others. */
export function renewingOps(id: string, node: SceneNode, baked: Baked, exactness: Exactness, ports: readonly PosePort[]): Op[] {
  const fresh = baked.things[node.baked?.thing ?? 0]?.params;
  if (!fresh || !node.baked || ports.length === 0) return [];
  const before = node.params;
  const take = (port: PosePort) => partOf(ports.includes(port) ? fresh : before, port);
  const params: Params = { at: AXES.map((axis) => take(`at.${axis}` as PosePort)), orientation: AXES.map((axis) => take(`orientation.${axis}` as PosePort)), scale: take('scale') };
  const sums = { ...node.baked.sums, ...Object.fromEntries(ports.map((port) => [port, sumOf(partOf(fresh, port))])) };
  return [...Object.entries(params).map(([name, value]) => put(['nodes', id, 'params', name], value)), put(['nodes', id, 'baked'], { ...node.baked, ...exactness, sums })];
}

/** The edit that bakes all that was baked from a node again, what was changed by hand only where that is wanted. */
export function againOps(document: Scene, source: string, baked: Baked, exactness: Exactness, byHandToo: boolean): Op[] {
  return posesOf(document, source).flatMap((id) => {
    const node = document.nodes?.[id];
    if (!node) return [];
    const changed = byHandToo ? [] : changedByHand(node);
    return renewingOps(id, node, baked, exactness, POSE_PORTS.filter((port) => !changed.includes(port)));
  });
}

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
export function bakingOps(document: Scene, source: string, baked: Baked, ids: BakedIds, { keep, ...exactness }: Exactness & { keep: boolean }): Op[] {
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
    ops.push(put(['nodes', ids.things[i] ?? ''], { type: 'pose', name: named(several ? `${wished} ${i + 1}` : wished), at, params: thing.params, baked: remembered(source, i, thing.params, exactness), ...inGroup }));
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
