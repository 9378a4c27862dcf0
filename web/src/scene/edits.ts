import type { Op, Scene } from '../api/types';

type Json = unknown;
type Item = { id: string };

const isItem = (value: Json, id: string): value is Item => typeof value === 'object' && value !== null && (value as Item).id === id;

/** The value at an address, if there is one. */
export function valueAt(document: Json, at: readonly string[]): Json {
  return at.reduce<Json>((value, name) => {
    if (Array.isArray(value)) return value.find((item) => isItem(item, name));
    if (typeof value === 'object' && value !== null) return (value as Record<string, Json>)[name];
    return undefined;
  }, document);
}

/**
 * The scene after some operations, as the server will see it. The server checks; here what does not
 * fit is passed over.
 */
export function applied(scene: Scene, ops: readonly Op[]): Scene {
  const copy = structuredClone(scene);
  for (const op of ops) one(copy, op);
  return copy;
}

function one(scene: Scene, op: Op): void {
  const last = op.at.at(-1);
  if (last === undefined) return;
  if (op.op === 'remove' && op.at.length === 2 && op.at[0] === 'nodes') {
    for (const [id, thread] of Object.entries(scene.threads ?? {})) {
      if (thread.from === last || thread.to === last) delete scene.threads?.[id];
    }
  }
  const parent = parentOf(scene, op.at.slice(0, -1));
  if (Array.isArray(parent)) inList(parent, last, op);
  else if (typeof parent === 'object' && parent !== null) inFields(parent as Record<string, Json>, last, op);
}

function parentOf(scene: Scene, at: readonly string[]): Json {
  let here: Json = scene;
  at.forEach((name, depth) => {
    if (typeof here === 'object' && here !== null && !Array.isArray(here)) {
      const fields = here as Record<string, Json>;
      if (fields[name] === undefined && at[0] === 'nodes' && depth === 2 && name === 'params') fields[name] = {};
      if (fields[name] === undefined && at[0] === 'nodes' && depth === 3) fields[name] = [];
      if (fields[name] === undefined && depth === 0 && ['nodes', 'threads', 'groups', 'assets'].includes(name)) fields[name] = {};
    }
    here = valueAt(here, [name]);
  });
  return here;
}

function inFields(fields: Record<string, Json>, name: string, op: Op): void {
  if (op.op === 'put') fields[name] = structuredClone(op.value);
  if (op.op === 'remove') delete fields[name];
}

function inList(items: Json[], id: string, op: Op): void {
  const found = items.findIndex((item) => isItem(item, id));
  const place = (before: string | null | undefined) => {
    const index = before == null ? -1 : items.findIndex((item) => isItem(item, before));
    return index < 0 ? items.length : index;
  };
  if (op.op === 'put') {
    if (found >= 0) items[found] = structuredClone(op.value);
    else items.splice(place(op.before), 0, structuredClone(op.value));
  } else if (op.op === 'remove') {
    if (found >= 0) items.splice(found, 1);
  } else if (found >= 0) {
    const [item] = items.splice(found, 1);
    items.splice(place(op.before), 0, item);
  }
}

export const put = (at: string[], value: Json, before?: string): Op => ({ op: 'put', at, value, before }) as Op;
export const remove = (at: string[]): Op => ({ op: 'remove', at });

/** An id that nothing in the scene has: a word and a few random letters. */
export function freshId(word: string): string {
  const letters = crypto.getRandomValues(new Uint32Array(1))[0] ?? 0;
  return `${word}-${letters.toString(36).padStart(7, '0').slice(-6)}`;
}
