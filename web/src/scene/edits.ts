import type { Op, Scene } from '../api/types';

type Json = unknown;
type Item = { id: string };

const isItem = (value: Json, id: string): value is Item => typeof value === 'object' && value !== null && (value as Item).id === id;

/** One of three numbers, by its place from 0, where that is given by more than a number. */
function partOf(items: readonly Json[], place: string): Json {
  const part = items.length === 3 && /^[012]$/.test(place) ? items[Number(place)] : undefined;
  return typeof part === 'object' && part !== null && !('id' in part) ? part : undefined;
}

/** The value at an address, if there is one. */
export function valueAt(document: Json, at: readonly string[]): Json {
  return at.reduce<Json>((value, name) => {
    if (Array.isArray(value)) return value.find((item) => isItem(item, name)) ?? partOf(value, name);
    if (typeof value === 'object' && value !== null) return (value as Record<string, Json>)[name];
    return undefined;
  }, document);
}

/**
 * The scene after some operations, as the server will see it. The server checks; here what does not
 * fit is passed over. What no operation touches is the same object as before.
 */
export function applied(scene: Scene, ops: readonly Op[]): Scene {
  return ops.reduce((now, op) => within(cutLoose(now, op), op, 0) as Scene, scene);
}

/** A node that goes takes its threads along. */
function cutLoose(scene: Scene, op: Op): Scene {
  if (op.op !== 'remove' || op.at.length !== 2 || op.at[0] !== 'nodes') return scene;
  const threads = Object.entries(scene.threads ?? {});
  const left = threads.filter(([, thread]) => thread.from !== op.at[1] && thread.to !== op.at[1]);
  return left.length === threads.length ? scene : { ...scene, threads: Object.fromEntries(left) };
}

/** What is made where an address passes something that is still at its default. */
function fresh(at: readonly string[], depth: number): Json {
  if (depth === 0 && ['nodes', 'threads', 'groups', 'assets'].includes(at[0] ?? '')) return {};
  if (at[0] !== 'nodes') return undefined;
  if (depth === 2 && at[2] === 'params') return {};
  return depth === 3 ? [] : undefined;
}

/** A container after an operation further in, copied along the way only. */
function within(container: Json, op: Op, depth: number): Json {
  const name = op.at[depth];
  if (name === undefined || typeof container !== 'object' || container === null) return container;
  if (depth === op.at.length - 1) return Array.isArray(container) ? inList(container, name, op) : inFields(container as Record<string, Json>, name, op);
  const before = valueAt(container, [name]) ?? fresh(op.at, depth);
  const after = within(before, op, depth + 1);
  if (after === undefined || after === before) return container;
  if (Array.isArray(container)) return container.map((item) => (item === before ? after : item));
  return { ...container, [name]: after };
}

function inFields(fields: Record<string, Json>, name: string, op: Op): Json {
  if (op.op === 'put') return { ...fields, [name]: structuredClone(op.value) };
  if (op.op !== 'remove' || !(name in fields)) return fields;
  const { [name]: _, ...rest } = fields;
  return rest;
}

function inList(items: readonly Json[], id: string, op: Op): Json {
  const found = items.findIndex((item) => isItem(item, id));
  const without = found < 0 ? [...items] : items.toSpliced(found, 1);
  const placed = (item: Json, before: string | null | undefined) => {
    const index = before == null ? -1 : without.findIndex((other) => isItem(other, before));
    return without.toSpliced(index < 0 ? without.length : index, 0, item);
  };
  if (op.op === 'remove') return found < 0 ? items : without;
  if (op.op === 'move') return found < 0 ? items : placed(items[found], op.before);
  return found < 0 ? placed(structuredClone(op.value), op.before) : items.with(found, structuredClone(op.value));
}

export const put = (at: string[], value: Json, before?: string): Op => ({ op: 'put', at, value, before });
export const remove = (at: string[]): Op => ({ op: 'remove', at });

/** An id that nothing in the scene has: a word and a few random letters. */
export function freshId(word: string): string {
  const letters = crypto.getRandomValues(new Uint32Array(1))[0] ?? 0;
  return `${word}-${letters.toString(36).padStart(7, '0').slice(-6)}`;
}
