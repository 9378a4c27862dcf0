import type { Op, Scene } from '../api/types';
import { freshId, put, remove, valueAt } from './edits';

export type Handles = 'joined' | 'split' | 'flat' | 'straight' | 'held';
type Pair = [number, number];

/** A key as the document holds it: handles as frames and value from the key, where it has some of its own. */
export interface Key {
  id: string;
  frame: number;
  value: number;
  handles?: Handles;
  before?: Pair;
  after?: Pair;
}

export interface Keyed {
  keys: Key[];
  beyond?: string;
}

/** A number of a node by its port; an empty port is the signal of a node of keys. */
export interface NumberName {
  node: string;
  port: string;
}

export const isKeyed = (value: unknown): value is Keyed => typeof value === 'object' && value !== null && !Array.isArray(value) && 'keys' in value;

const AXES = ['x', 'y', 'z'];

/** The address of a number: that of its parameter, or of a part of it. */
export function addressOf({ node, port }: NumberName): string[] {
  const [name = '', axis] = port.split('.');
  return ['nodes', node, 'params', name, ...(axis ? [String(AXES.indexOf(axis))] : [])];
}

/** The address of a number's list of keys. */
export const listOf = (number: NumberName): string[] => (number.port === '' ? ['nodes', number.node, 'params', 'keys'] : [...addressOf(number), 'keys']);

/** The keys of a number in order of frames, where it is keyed. */
export function keysOf(document: Scene, number: NumberName): Keyed | null {
  const node = document.nodes?.[number.node];
  if (number.port === '') {
    if (node?.type !== 'keys') return null;
    return { keys: ordered((node.params?.['keys'] as Key[] | undefined) ?? []), beyond: node.params?.['beyond'] as string | undefined };
  }
  if (Object.values(document.threads ?? {}).some((thread) => thread.to === number.node && thread.port === number.port)) return null;
  const value = valueAt(document, addressOf(number));
  return isKeyed(value) ? inOrder(value) : null;
}

const known = new WeakMap<Keyed, Keyed>();

/** The same with its keys in order; the same object as long as the keys are the same. */
function inOrder(keyed: Keyed): Keyed {
  const before = known.get(keyed);
  if (before) return before;
  const made = { ...keyed, keys: ordered(keyed.keys) };
  known.set(keyed, made);
  return made;
}

/** Keys as a document holds them, however they lie beyond their ends. */
export const written = (keys: Key[], beyond: string | undefined): Keyed => ({ keys, ...(beyond === undefined ? {} : { beyond }) });

const ordered = (keys: readonly Key[]): Key[] => [...keys].sort((a, b) => a.frame - b.frame);

/** The slope of joined handles, as the server has it. */
function joinedSlope(keys: readonly Key[], i: number): number {
  const key = keys[i] as Key;
  // The longer one says more about the direction.
  const given = [key.after, key.before].filter((handle) => handle !== undefined).reduce<Pair | null>((a, b) => (a && Math.abs(a[0]) >= Math.abs(b[0]) ? a : b), null);
  if (given && given[0] !== 0) return given[1] / given[0];
  const [last, next] = [keys[i - 1], keys[i + 1]];
  const slope = (other: Key | undefined) => (other && other.frame !== key.frame ? (other.value - key.value) / (other.frame - key.frame) : null);
  const [a, b] = [slope(last), slope(next)];
  if (a === null || b === null) return a ?? b ?? 0;
  if (a * b <= 0) return 0;
  const [before, after] = [key.frame - (last as Key).frame, (next as Key).frame - key.frame];
  const [wa, wb] = [2 * after + before, after + 2 * before];
  return (wa + wb) / (wa / a + wb / b);
}

/** The handle of a key towards the next key or the one before it, as it counts. */
export function handleOf(keys: readonly Key[], i: number, after: boolean): Pair {
  const key = keys[i] as Key;
  const other = keys[after ? i + 1 : i - 1] as Key;
  const [gap, rise] = [other.frame - key.frame, other.value - key.value];
  const given = after ? key.after : key.before;
  const frames = given ? (gap > 0 ? Math.max(0, Math.min(gap, given[0])) : Math.min(0, Math.max(gap, given[0]))) : gap / 3;
  const handles = key.handles ?? 'joined';
  if (handles === 'flat') return [frames, 0];
  if ((handles === 'split' || handles === 'held') && given) return given[0] === 0 ? [0, given[1]] : [frames, (given[1] * frames) / given[0]];
  if (handles === 'joined') return [frames, frames * joinedSlope(keys, i)];
  return [frames, frames * (rise / gap)];
}

/** The four control points between a key and the next, as frames and values. */
export function piece(keys: readonly Key[], i: number): [Pair, Pair, Pair, Pair] {
  const [a, b] = [keys[i] as Key, keys[i + 1] as Key];
  if (a.handles === 'held') {
    const gap = b.frame - a.frame;
    return [[a.frame, a.value], [a.frame + gap / 3, a.value], [b.frame - gap / 3, a.value], [b.frame, a.value]];
  }
  const [out, into] = [handleOf(keys, i, true), handleOf(keys, i + 1, false)];
  return [[a.frame, a.value], [a.frame + out[0], a.value + out[1]], [b.frame + into[0], b.value + into[1]], [b.frame, b.value]];
}

const bezier = (p: readonly [number, number, number, number], t: number): number => {
  const s = 1 - t;
  return s * s * s * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t * t * t * p[3];
};

const along = (points: readonly Pair[], axis: 0 | 1): [number, number, number, number] => points.map((point) => point[axis]) as [number, number, number, number];

/** The parameter of a piece at a frame, by Newton's steps kept between two sides: its frames only grow. */
function partAt(points: readonly Pair[], frame: number): number {
  const [p, q, r, s] = along(points, 0);
  const [c, b] = [3 * (q - p), 3 * (r - 2 * q + p)];
  const a = s - p - c - b;
  let [low, high] = [0, 1];
  let t = s > p ? Math.max(0, Math.min(1, (frame - p) / (s - p))) : 0;
  for (let step = 0; step < 60 && high - low > 1e-15; step += 1) {
    const off = ((a * t + b) * t + c) * t + p - frame;
    if (off < 0) low = t;
    else high = t;
    const slope = (3 * a * t + 2 * b) * t + c;
    const next = t - off / slope;
    if (Math.abs(next - t) < 1e-15) return t;
    t = next > low && next < high ? next : (low + high) / 2;
  }
  return t;
}

/** The number of the piece that holds a frame; none before the first key and from the last on. */
const pieceAt = (keys: readonly Key[], frame: number): number | null => {
  const next = keys.findIndex((key) => key.frame > frame);
  return next > 0 ? next - 1 : null;
};

/** The value between the keys and held beyond them. */
export function valueOn(keys: readonly Key[], frame: number): number {
  const i = pieceAt(keys, frame);
  if (i !== null) {
    const points = piece(keys, i);
    return bezier(along(points, 1), partAt(points, frame));
  }
  return (frame < (keys[0]?.frame ?? 0) ? keys[0] : keys.at(-1))?.value ?? 0;
}

/** Value by frame at a frame, seen from the right. */
export function slopeOn(keys: readonly Key[], frame: number): number {
  const i = pieceAt(keys, frame);
  if (i === null) return 0;
  const points = piece(keys, i);
  const t = partAt(points, frame);
  const rise = ([a, b, c, d]: readonly [number, number, number, number]) => (1 - t) ** 2 * (b - a) + 2 * (1 - t) * t * (c - b) + t ** 2 * (d - c);
  const frames = rise(along(points, 0));
  return frames > 0 ? rise(along(points, 1)) / frames : 0;
}

/** The keys with one more at a frame that leaves the curve as it is; or as they are where one stands there. */
export function inserted(keys: readonly Key[], frame: number, id = freshId('key')): Key[] {
  if (keys.some((key) => Math.abs(key.frame - frame) < 1e-6)) return [...keys];
  const i = pieceAt(keys, frame);
  if (i === null) return ordered([...keys, { id, frame, value: valueOn(keys, frame) }]);
  // What stood by itself must now stay where it is, or it would turn towards the new key.
  const own = (j: number): Key => {
    const key = keys[j] as Key;
    if (key.handles === 'held') return key;
    const { before: _, after: __, ...plain } = key;
    const kept = { ...plain, ...(j > 0 && keys[j - 1]?.handles !== 'held' && { before: handleOf(keys, j, false) }), ...(j < keys.length - 1 && { after: handleOf(keys, j, true) }) };
    return key.handles === 'straight' ? { ...kept, handles: 'split' } : kept;
  };
  const held = keys[i] as Key;
  if (held.handles === 'held') return [...keys.slice(0, i + 1), { id, frame, value: held.value, handles: 'held' }, own(i + 1), ...keys.slice(i + 2)];
  const points = piece(keys, i);
  const t = partAt(points, frame);
  const mixed = (p: Pair, q: Pair): Pair => [p[0] + (q[0] - p[0]) * t, p[1] + (q[1] - p[1]) * t];
  const [p01, p12, p23] = [mixed(points[0], points[1]), mixed(points[1], points[2]), mixed(points[2], points[3])];
  const [p012, p123] = [mixed(p01, p12), mixed(p12, p23)];
  const at = mixed(p012, p123);
  const from = (key: Pair, handle: Pair): Pair => [handle[0] - key[0], handle[1] - key[1]];
  const fresh: Key = { id, frame: at[0], value: at[1], handles: 'joined', before: from(at, p012), after: from(at, p123) };
  const left = { ...own(i), after: from(points[0], p01) };
  const right = { ...own(i + 1), before: from(points[3], p23) };
  return [...keys.slice(0, i), left, { ...fresh, frame }, right, ...keys.slice(i + 2)];
}

/** The keys with one at a frame that has a value and a slope of its own; a key that stands there takes them. */
export function insertedAt(keys: readonly Key[], frame: number, value: number, slope: number, id = freshId('key')): Key[] {
  const all = inserted(keys, frame, id);
  const i = all.findIndex((key) => Math.abs(key.frame - frame) < 1e-6);
  const gap = (other: Key | undefined): number | null => (other ? Math.abs(other.frame - frame) / 3 : null);
  const [before, after] = [gap(all[i - 1]), gap(all[i + 1])];
  return all.map((key, j) => {
    if (j !== i) return key;
    const { before: _, after: __, ...plain } = key;
    return { ...plain, value, handles: 'joined', ...(before !== null && { before: [-before, -slope * before] }), ...(after !== null && { after: [after, slope * after] }) };
  });
}

const changed = (keys: readonly Key[], ids: readonly string[], change: (key: Key, i: number) => Key): Key[] => keys.map((key, i) => (ids.includes(key.id) ? change(key, i) : key));

/** Keys with handles of another kind; what they had of their own goes, but for its length in frames. */
export function withHandles(keys: readonly Key[], ids: readonly string[], handles: Handles): Key[] {
  return ordered(
    changed(keys, ids, (key, i) => {
      const { before: _, after: __, ...plain } = key;
      if (handles === 'split' || handles === 'joined') {
        // They stay as they stand, and can be taken hold of.
        const own = { ...plain, handles, ...(i > 0 && { before: handleOf(keys, i, false) }), ...(i < keys.length - 1 && { after: handleOf(keys, i, true) }) };
        return key.handles === 'held' || (handles === 'joined' && key.handles !== 'split') ? { ...plain, handles } : own;
      }
      return { ...plain, handles };
    }),
  );
}

/** Eases: the pace comes to nothing at the keys, over so much of the way to the next one. */
export function eased(keys: readonly Key[], ids: readonly string[], side: 'both' | 'before' | 'after', share = 0.5): Key[] {
  return changed(keys, ids, (key, i) => {
    const [last, next] = [keys[i - 1], keys[i + 1]];
    const level = (other: Key | undefined): Pair | undefined => (other ? [(other.frame - key.frame) * share, 0] : undefined);
    const before = side === 'after' ? (last ? handleOf(keys, i, false) : undefined) : level(last);
    const after = side === 'before' ? (next ? handleOf(keys, i, true) : undefined) : level(next);
    const { before: _, after: __, ...plain } = key;
    return { ...plain, handles: side === 'both' ? 'flat' : 'split', ...(before && { before }), ...(after && { after }) };
  });
}

/** Handles so many times as long, in the direction they have. */
export function lengthened(keys: readonly Key[], ids: readonly string[], factor: number): Key[] {
  return changed(keys, ids, (key, i) => {
    const longer = (after: boolean): Pair | undefined => {
      const other = keys[after ? i + 1 : i - 1];
      if (!other || key.handles === 'held') return undefined;
      const [frames, value] = handleOf(keys, i, after);
      const gap = other.frame - key.frame;
      const most = frames === 0 ? factor : Math.min(factor, gap / frames);
      return [frames * most, value * most];
    };
    const [before, after] = [longer(false), longer(true)];
    return { ...key, handles: key.handles === 'straight' ? 'split' : key.handles, ...(before && { before }), ...(after && { after }) };
  });
}

/** A key whose curve goes through it at so much value by frame; where it is and what its handles span stays. */
export function paced(keys: readonly Key[], id: string, slope: number): Key[] {
  return changed(keys, [id], (key, i) => {
    const side = (after: boolean): Pair | undefined => {
      if (!keys[after ? i + 1 : i - 1]) return undefined;
      const frames = handleOf(keys, i, after)[0] || ((keys[after ? i + 1 : i - 1] as Key).frame - key.frame) / 3;
      return [frames, frames * slope];
    };
    const [before, after] = [side(false), side(true)];
    const { before: _, after: __, ...plain } = key;
    return { ...plain, handles: 'joined', ...(before && { before }), ...(after && { after }) };
  });
}

/** Keys moved by frames and value, by whole frames where `snap` says so: a fraction of a frame that a key has stays. */
export function moved(keys: readonly Key[], ids: readonly string[], frames: number, value: number, snap: boolean): Key[] {
  const by = snap ? Math.round(frames) : frames;
  const to = (frame: number) => Number((frame + by).toFixed(9));
  return ordered(changed(keys, ids, (key) => ({ ...key, frame: to(key.frame), value: key.value + value })));
}

/** Keys at so many times their distance from a frame, their handles with them. */
export function stretched(keys: readonly Key[], ids: readonly string[], about: number, factor: number, snap: boolean): Key[] {
  const to = (frame: number) => about + (frame - about) * factor;
  const times = (pair: Pair | undefined): Pair | undefined => pair && [pair[0] * Math.abs(factor), pair[1]];
  return ordered(
    changed(keys, ids, (key) => {
      const [before, after] = [times(key.before), times(key.after)];
      const frame = to(key.frame);
      return { ...key, frame: snap ? Math.round(frame) : frame, ...(before && { before }), ...(after && { after }) };
    }),
  );
}

export interface Paces {
  /** Frame and value by frame where the pace is smallest and largest, whichever way. */
  slowest: Pair;
  fastest: Pair;
  /** True when the values turn back somewhere: there the pace has to pass 0. */
  turns: boolean;
}

const LOOKS = 24;

/** The smallest and the largest pace between the first key and the last; none with fewer than two keys. */
export function paces(keys: readonly Key[]): Paces | null {
  const [first, last] = [keys[0], keys.at(-1)];
  if (!first || !last || last.frame <= first.frame) return null;
  const looks: Pair[] = [];
  for (let i = 0; i < keys.length - 1; i += 1) {
    const [a, b] = [(keys[i] as Key).frame, (keys[i + 1] as Key).frame];
    if (b <= a) continue;
    for (let j = 0; j <= LOOKS; j += 1) {
      // The end of a piece is looked at from its own side.
      const frame = j === LOOKS ? b - (b - a) * 1e-6 : a + ((b - a) * j) / LOOKS;
      looks.push([j === LOOKS ? b : frame, slopeOn(keys, frame)]);
    }
  }
  const by = (better: (a: number, b: number) => boolean) => looks.reduce((best, look) => (better(Math.abs(look[1]), Math.abs(best[1])) ? look : best));
  const most = Math.max(...looks.map(([, slope]) => Math.abs(slope)));
  const turns = looks.some(([, slope]) => slope > 1e-9 * most) && looks.some(([, slope]) => slope < -1e-9 * most);
  return { slowest: by((a, b) => a < b), fastest: by((a, b) => a > b), turns };
}

/** How slow the slowest point is made, as a part of the mean pace. */
export const LIFTED = 0.15;

/** With the slowest point lifted off 0: slow, but not still. What is covered in all stays. Null where it turns back. */
export function lifted(keys: readonly Key[]): Key[] | null {
  const found = paces(keys);
  const [first, last] = [keys[0], keys.at(-1)];
  if (!found || !first || !last || found.turns || first.value === last.value) return null;
  const slope = (LIFTED * (last.value - first.value)) / (last.frame - first.frame);
  let now = [...keys];
  // Wherever it is slower than that, at its keys or between them.
  for (let round = 0; round < 8; round += 1) {
    const slowest = paces(now)?.slowest;
    if (!slowest || Math.abs(slowest[1]) >= Math.abs(slope) * 0.999) return now;
    const near = now.find((key) => Math.abs(key.frame - slowest[0]) < 0.5);
    if (!near) now = inserted(now, Math.round(slowest[0]));
    const key = near ?? now.find((other) => Math.abs(other.frame - Math.round(slowest[0])) < 1e-6);
    if (!key) return now;
    now = paced(now, key.id, slope);
  }
  return now;
}

/** The edit that makes one list of keys of another. */
export function keyOps(number: NumberName, before: readonly Key[], after: readonly Key[]): Op[] {
  const at = listOf(number);
  const known = new Map(before.map((key) => [key.id, key]));
  const puts = after.filter((key) => JSON.stringify(known.get(key.id)) !== JSON.stringify(key)).map((key) => put([...at, key.id], key));
  const left = new Set(after.map((key) => key.id));
  return [...puts, ...before.filter((key) => !left.has(key.id)).map((key) => remove([...at, key.id]))];
}

/** Keys as they are copied: frames from the first of them. */
export interface CopiedKeys {
  zickzack: 'keys';
  keys: Key[];
}

export function copiedKeys(keys: readonly Key[], ids: readonly string[]): CopiedKeys | null {
  const some = ordered(keys.filter((key) => ids.includes(key.id)));
  const first = some[0];
  return first ? { zickzack: 'keys', keys: some.map((key) => ({ ...key, frame: key.frame - first.frame })) } : null;
}

/** Copied keys put in at a frame, in place of what stands at the same frames; and their ids. */
export function pastedKeys(keys: readonly Key[], clip: CopiedKeys, frame: number): { keys: Key[]; ids: string[] } {
  const fresh = clip.keys.map((key) => ({ ...key, id: freshId('key'), frame: key.frame + frame }));
  const kept = keys.filter((key) => !fresh.some((other) => Math.abs(other.frame - key.frame) < 1e-6));
  return { keys: ordered([...kept, ...fresh]), ids: fresh.map((key) => key.id) };
}

/** Value by frame at any frame, seen from the right, their ways beyond the ends included. */
export function slopeAtFrame({ keys, beyond = 'with the loop' }: Keyed, frames: number, frame: number): number {
  const [first, last] = [keys[0]?.frame ?? 0, keys.at(-1)?.frame ?? 0];
  const within = (at: number, from: number, length: number) => slopeOn(keys, at - Math.floor((at - from) / length) * length);
  if (beyond === 'with the loop') return within(frame, 0, frames);
  if (last <= first || (frame >= first && frame < last)) return slopeOn(keys, frame);
  if (beyond === 'repeats' || beyond === 'climbs') return within(frame, first, last - first);
  if (beyond === 'turns back') {
    const length = last - first;
    const back = Math.floor((frame - first) / length) % 2 !== 0;
    const along = frame - first - Math.floor((frame - first) / length) * length;
    // Backwards what is on the left comes next.
    return back ? -slopeOn(keys, last - along - 1e-6 * length) : slopeOn(keys, first + along);
  }
  if (beyond === 'runs on') return frame < first ? slopeOn(keys, first) : slopeOn(keys, last - 1e-6 * (last - first));
  return 0;
}

/** What keys give at any frame of a loop of so many frames, their ways beyond the ends included. */
export function valueAtFrame({ keys, beyond = 'with the loop' }: Keyed, frames: number, frame: number): number {
  const [first, last] = [keys[0]?.frame ?? 0, keys.at(-1)?.frame ?? 0];
  const held = (at: number) => valueOn(keys, at);
  const round = (from: number, length: number, climbing: boolean) => {
    const number = Math.floor((frame - from) / length);
    return held(frame - number * length) + (climbing ? number * (held(from + length) - held(from)) : 0);
  };
  if (beyond === 'with the loop') return round(0, frames, true);
  if (last <= first || (frame >= first && frame <= last)) return held(frame);
  if (beyond === 'repeats' || beyond === 'climbs') return round(first, last - first, beyond === 'climbs');
  if (beyond === 'turns back') {
    const along = (((frame - first) % (2 * (last - first))) + 2 * (last - first)) % (2 * (last - first));
    return held(first + (along > last - first ? 2 * (last - first) - along : along));
  }
  if (beyond === 'runs on') return frame < first ? held(first) + (frame - first) * slopeOn(keys, first) : held(last) + (frame - last) * slopeOn(keys, last - 1e-6 * (last - first));
  return held(frame);
}
