import type { NodeSchema, Op, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { upstreamRole, valueOf } from '../schemas';

/** Which ticks a dragged one takes along. */
export type Along = 'one' | 'all' | 'in order';

type Own = { id: string; value: number };

const fine = (laps: number): number => Number(laps.toFixed(6));

/** The shortest way round from one phase to another, from −½ to ½ laps. */
export const shortest = (laps: number): number => laps - Math.round(laps);

/** True when things have places of their own, so that one tick can be shifted alone. */
export const canShiftOne = (document: Scene, schemas: readonly NodeSchema[], node: string): boolean => upstreamRole(document, schemas, node, 'shifts') !== null;

/**
 * The edit that shifts a thing by so many laps: alone, with all others, or all in order, when the first stays, the
 * dragged one goes all the way, and the others between and beyond it go in proportion to their number.
 */
export function shifting(document: Scene, schemas: readonly NodeSchema[], node: string, object: number, things: number, by: number, along: Along): Op[] {
  const late = delaying(document, schemas, node, object, things, by, along);
  if (late) return late;
  const phase = upstreamRole(document, schemas, node, 'phase');
  const shifts = upstreamRole(document, schemas, node, 'shifts');
  if (along === 'all' || !shifts || (along === 'in order' && object === 0)) {
    if (!phase) return [];
    return [put(['nodes', phase.node, 'params', phase.param.name], fine(Number(valueOf(document, phase.node, phase.param)) + by))];
  }
  const at = ['nodes', shifts.node, 'params', shifts.param.name];
  const own = new Map((valueOf(document, shifts.node, shifts.param) as Own[]).map(({ id, value }) => [id, value]));
  const one = (thing: number, laps: number): Op[] => {
    const id = String(thing);
    const next = fine((own.get(id) ?? 0) + laps);
    if (next === 0) return own.has(id) ? [remove([...at, id])] : [];
    return [put([...at, id], { id, value: next })];
  };
  if (along === 'one') return one(object, by);
  return Array.from({ length: things }, (_, thing) => one(thing, (by * thing) / object)).flat();
}

/** The edit that lets a follower be later or earlier by so many laps of its lead; null where the thing is no follower. */
function delaying(document: Scene, schemas: readonly NodeSchema[], node: string, object: number, things: number, by: number, along: Along): Op[] | null {
  const delays = upstreamRole(document, schemas, node, 'delays');
  if (!delays || along === 'all') return null;
  const params = document.nodes?.[delays.node]?.params ?? {};
  const lead = params['lead'] !== false;
  const ranks = Number(params['followers'] ?? 8) + (lead ? 1 : 0);
  const leads = Math.max(1, Math.round(things / ranks));
  const rank = Math.floor(object / leads);
  if (lead && rank === 0) return null;
  const laps = upstreamRole(document, schemas, delays.node, 'laps');
  const rate = laps ? fractionOf(String(valueOf(document, laps.node, laps.param))) / document.frames : 0;
  // Without an even pace a lap is not so many frames.
  if (rate === 0) return [];
  const at = ['nodes', delays.node, 'params', delays.param.name];
  const own = new Map((valueOf(document, delays.node, delays.param) as Own[]).map(({ id, value }) => [id, value]));
  const later = (which: number, laps: number): Op[] => {
    const id = String(which);
    const next = Number(((own.get(id) ?? 0) - laps / rate).toFixed(4));
    if (next === 0) return own.has(id) ? [remove([...at, id])] : [];
    return [put([...at, id], { id, value: next })];
  };
  if (along === 'one') return later(rank, by);
  return Array.from({ length: ranks }, (_, which) => later(which, (by * which) / rank)).flat();
}

const fractionOf = (text: string): number => {
  const [above = 0, below = 1] = text.split('/').map(Number);
  return above / below;
};

/** Loop length after the rim was turned by so many turns: a whole turn makes it half as long again. */
export const turnedLength = (frames: number, turns: number): number => Math.max(1, Math.min(100000, Math.round(frames * (1 + turns / 2))));
