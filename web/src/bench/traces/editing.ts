import { handleOf, inserted, moved, paced, stretched, type Key } from '../../scene/keyed';
import { GRIP, handleEnds, insideOf, mostPace, RIBBON, scaleOf, spanOfKeys, valueAtHeight, type Span } from './paint';
import type { Row } from './rows';
import type { Window } from './settings';

/** How the canvas shows frames. */
export interface Ground {
  width: number;
  window: Window;
  frames: number;
  fps: number;
}

/** What lies under the pointer in a row with keys. */
export type Hit = { kind: 'key'; id: string } | { kind: 'handle'; id: string; after: boolean } | { kind: 'grip'; end: 'first' | 'last' } | { kind: 'pace'; frame: number } | null;

/** How near the pointer has to be, px. */
const NEAR = 8;

export const xOf = ({ width, window: seen }: Ground, frame: number): number => ((frame - seen.from) / (seen.to - seen.from)) * width;
export const frameOf = ({ width, window: seen }: Ground, x: number): number => seen.from + (x / width) * (seen.to - seen.from);

/** What is under a point of the canvas. */
export function hitAt(row: Row, ids: readonly string[], ground: Ground, x: number, y: number): Hit {
  const keys = row.keyed?.keys ?? [];
  const height = scaleOf(spanOfKeys(row, ground), insideOf(row));
  const near = (frame: number, value: number) => Math.hypot(xOf(ground, frame) - x, height(value) - y) <= NEAR;
  const chosen = keys.filter((key) => ids.includes(key.id));
  const first = chosen[0];
  if (chosen.length > 1 && first && y <= row.top + GRIP + 2) {
    const ends = [first.frame, chosen.at(-1)?.frame ?? first.frame];
    if (Math.abs(xOf(ground, ends[1] ?? 0) - x) <= NEAR) return { kind: 'grip', end: 'last' };
    if (Math.abs(xOf(ground, ends[0] ?? 0) - x) <= NEAR) return { kind: 'grip', end: 'first' };
  }
  const key = keys.find((key) => near(key.frame, key.value));
  if (key) return { kind: 'key', id: key.id };
  for (const [i, each] of keys.entries()) {
    if (!ids.includes(each.id)) continue;
    const end = handleEnds(keys, i).find(({ frame, value }) => near(frame, value));
    if (end) return { kind: 'handle', id: each.id, after: end.after };
  }
  const frame = frameOf(ground, x);
  const [from, to] = [keys[0]?.frame ?? 0, keys.at(-1)?.frame ?? 0];
  return y >= row.top + row.height - RIBBON && frame >= from && frame <= to && keys.length > 1 ? { kind: 'pace', frame } : null;
}

/** Where a drag began, and what it takes hold of. */
export interface Grasp {
  hit: Exclude<Hit, null>;
  row: Row;
  /** The keys as they were. */
  keys: Key[];
  ids: string[];
  x: number;
  y: number;
  span: Span;
  /** The largest pace as it was, by second. */
  most: number;
}

export function grasp(row: Row, hit: Exclude<Hit, null>, ids: string[], ground: Ground, x: number, y: number): Grasp {
  return { hit, row, keys: row.keyed?.keys ?? [], ids, x, y, span: spanOfKeys(row, ground), most: mostPace(row, ground.frames, ground.fps) };
}

/** Keys while something is dragged to a point. `free` leaves whole frames; `straight` keeps the frame or the value. */
export function draggedTo(held: Grasp, ground: Ground, x: number, y: number, { free, straight }: { free: boolean; straight: boolean }): Key[] {
  const { hit, keys, ids, span, row } = held;
  const inside = insideOf(row);
  const frames = frameOf(ground, x) - frameOf(ground, held.x);
  const value = valueAtHeight(span, inside, y) - valueAtHeight(span, inside, held.y);
  switch (hit.kind) {
    case 'key': {
      const upright = straight && Math.abs(y - held.y) > Math.abs(x - held.x);
      return moved(keys, ids, upright ? 0 : frames, straight && !upright ? 0 : value, !free);
    }
    case 'grip': {
      const some = keys.filter((key) => ids.includes(key.id)).map((key) => key.frame);
      const [first, last] = [Math.min(...some), Math.max(...some)];
      const [about, end] = hit.end === 'last' ? [first, last] : [last, first];
      return stretched(keys, ids, about, (end + frames - about) / (end - about), !free);
    }
    case 'handle':
      return withHandle(keys, hit.id, hit.after, frames, value, free);
    case 'pace': {
      const near = keys.find((key) => Math.abs(xOf(ground, key.frame) - xOf(ground, hit.frame)) <= NEAR);
      const now = near ? keys : inserted(keys, Math.round(hit.frame), 'paced');
      const key = near ?? now.find((other) => !keys.includes(other) && Math.abs(other.frame - Math.round(hit.frame)) < 1e-6);
      if (!key) return [...keys];
      const bottom = row.top + row.height - 1;
      const rising = (keys.at(-1)?.value ?? 0) >= (keys[0]?.value ?? 0) ? 1 : -1;
      const pace = Math.max(0, (bottom - y) / RIBBON) * held.most;
      return paced(now, key.id, (rising * pace) / ground.fps);
    }
  }
}

/** A key with the end of a handle moved by frames and value; joined handles turn together. */
export function withHandle(keys: readonly Key[], id: string, after: boolean, frames: number, value: number, split: boolean): Key[] {
  return keys.map((key, i) => {
    if (key.id !== id) return key;
    const now = handleOf(keys, i, after);
    const gap = (keys[after ? i + 1 : i - 1]?.frame ?? key.frame) - key.frame;
    const sign = after ? 1 : -1;
    const moved: [number, number] = [sign * Math.max(1e-3 * Math.abs(gap), Math.min(Math.abs(gap), sign * (now[0] + frames))), now[1] + value];
    const [mine, other] = after ? (['after', 'before'] as const) : (['before', 'after'] as const);
    const across = keys[after ? i - 1 : i + 1];
    const standing = across ? handleOf(keys, i, !after) : null;
    if (key.handles === 'flat') return { ...key, [mine]: [moved[0], 0] };
    if (split || key.handles === 'split' || key.handles === 'straight') return { ...key, handles: 'split', [mine]: moved, ...(standing && { [other]: standing }) };
    const turned = standing && [standing[0], (moved[1] / moved[0]) * standing[0]];
    return { ...key, handles: key.handles ?? 'joined', [mine]: moved, ...(turned && { [other]: turned }) };
  });
}

/** Keys within a box of the canvas. */
export function within(row: Row, ground: Ground, [x1, y1, x2, y2]: [number, number, number, number]): string[] {
  const height = scaleOf(spanOfKeys(row, ground), insideOf(row));
  const between = (value: number, a: number, b: number) => value >= Math.min(a, b) && value <= Math.max(a, b);
  return (row.keyed?.keys ?? []).filter((key) => between(xOf(ground, key.frame), x1, x2) && between(height(key.value), y1, y2)).map((key) => key.id);
}
