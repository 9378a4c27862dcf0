import type { NodeSchema, Op, PortKind, Scene, SceneNode, Thread } from '../../api/types';
import { freshId, put, remove } from '../../scene/edits';
import { portsOf } from '../../scene/giving';
import { keysOf, written, type NumberName } from '../../scene/keyed';

/** What a node gives; an Output, which gives nothing, still shows a motion. */
export const kindOf = (schemas: readonly NodeSchema[], scene: Scene, id: string): PortKind | null => schemas.find((schema) => schema.name === scene.nodes?.[id]?.type)?.output ?? null;

const schemaOf = (schemas: readonly NodeSchema[], scene: Scene, id: string): NodeSchema | undefined => schemas.find((schema) => schema.name === scene.nodes?.[id]?.type);

/** What may be threaded to a port: that of an input, or a signal for a number. */
export function portKind(schema: NodeSchema | undefined, port: string): PortKind | null {
  const input = schema?.inputs.find((input) => input.name === port)?.kind;
  if (input) return input;
  return schema?.params.some((param) => portsOf(param).includes(port)) ? 'signal' : null;
}

/** Stands for any number of a node, until it is chosen which. */
export const ANY_NUMBER = 'any number';

/** True when `from` feeds `to`, however far down. */
export function feeds(document: Scene, from: string, to: string): boolean {
  return from === to || Object.values(document.threads ?? {}).some((thread) => thread.from === from && feeds(document, thread.to, to));
}

/** A name that no node has yet: the one wished for, or with a number. */
export function freeName(document: Scene, wished: string, also: readonly string[] = []): string {
  const names = new Set([...Object.values(document.nodes ?? {}).map((node) => node.name), ...also]);
  const stem = wished.replace(/ \d+$/, '');
  let name = wished;
  for (let number = 2; names.has(name); number += 1) name = `${stem} ${number}`;
  return name;
}

/** What takes the place of whatever ends at a port, and makes the choice under which the port is used. */
export function threading(document: Scene, schemas: readonly NodeSchema[], from: string, to: string, port: string): Op[] {
  const known = Object.entries(document.threads ?? {}).find(([, thread]) => thread.to === to && thread.port === port);
  return [...(known ? [remove(['threads', known[0]])] : []), put(['threads', freshId('thread')], { from, to, port }), ...choosing(document, schemas, to, port)];
}

function choosing(document: Scene, schemas: readonly NodeSchema[], to: string, port: string): Op[] {
  const schema = schemaOf(schemas, document, to);
  const when = schema?.inputs.find((input) => input.name === port)?.only_when;
  if (!schema || !when) return [];
  const [name, values] = when;
  const usual = schema.params.find((param) => param.name === name)?.values;
  const chosen = document.nodes?.[to]?.params?.[name] ?? (usual && 'default' in usual ? usual.default : undefined);
  return values.some((value) => value === chosen) || values[0] === undefined ? [] : [put(['nodes', to, 'params', name], values[0])];
}

/** A new node that gives a signal to a number, beside the node that takes it. */
export function giver(document: Scene, schema: NodeSchema, id: string, number: NumberName, now: { value: number; frame: number }): Op[] {
  const [x = 24, y = 0] = document.nodes?.[number.node]?.at ?? [];
  const at = freePlace(document, [x - SLIP.width - 24, y]);
  // It takes over the keys that the number has, or its value.
  const own = keysOf(document, number);
  const keys = own ? written(own.keys, own.beyond) : { keys: [{ id: freshId('key'), ...now }] };
  const params: object = { keys, wave: { middle: now.value }, noise: { middle: now.value }, ramp: { from: now.value, to: now.value + 1 } }[schema.name] ?? {};
  return [put(['nodes', id], { type: schema.name, name: freeName(document, schema.title), at, params })];
}

/** Room that a slip takes in the Weave. */
const SLIP = { width: 164, height: 96 };

/** A place in the Weave, or the first one to the right of it, where no slip lies. */
export function freePlace(document: Scene, [x, y]: [number, number]): [number, number] {
  const slips = Object.values(document.nodes ?? {}).map((node) => node.at ?? [0, 0]);
  const taken = (left: number) => slips.some(([sx = 0, sy = 0]) => Math.abs(sx - left) < SLIP.width && Math.abs(sy - y) < SLIP.height);
  let left = x;
  while (taken(left)) left += SLIP.width + 12;
  return [left, y];
}

/** A new node under the selected one, threaded to it where that fits. */
export function addition(document: Scene, schemas: readonly NodeSchema[], schema: NodeSchema, id: string, selected: string | null): Op[] {
  const above = selected ? document.nodes?.[selected] : undefined;
  const lowest = Math.max(-100, ...Object.values(document.nodes ?? {}).map((node) => node.at?.[1] ?? 0));
  const at = above ? freePlace(document, [above.at?.[0] ?? 24, (above.at?.[1] ?? 0) + 130]) : [24, lowest + 130];
  const ops: Op[] = [put(['nodes', id], { type: schema.name, name: freeName(document, schema.title), at })];
  const port = selected ? schema.inputs.find((input) => input.kind === kindOf(schemas, document, selected)) : undefined;
  if (selected && port) ops.push(...threading(document, schemas, selected, id, port.name));
  return ops;
}

/** An end of a thread that was pulled into the open: the node it comes from, or the port it goes to. */
export interface Loose {
  node: string;
  /** Set when the thread was pulled from a port, against its way. */
  port: string | null;
}

/** The node types that take up a loose thread. */
export function offered(document: Scene, schemas: readonly NodeSchema[], loose: Loose): NodeSchema[] {
  if (loose.port === null) {
    const kind = kindOf(schemas, document, loose.node);
    return schemas.filter((schema) => kind !== null && schema.inputs.some((input) => input.kind === kind));
  }
  const kind = schemaOf(schemas, document, loose.node)?.inputs.find((input) => input.name === loose.port)?.kind;
  return schemas.filter((schema) => kind !== undefined && schema.output === kind);
}

/** A new node at a place in the Weave that takes up a loose thread. */
export function takingUp(document: Scene, schemas: readonly NodeSchema[], schema: NodeSchema, id: string, loose: Loose, at: [number, number]): Op[] {
  const ops: Op[] = [put(['nodes', id], { type: schema.name, name: freeName(document, schema.title), at: at.map(Math.round) })];
  if (loose.port === null) {
    const port = schema.inputs.find((input) => input.kind === kindOf(schemas, document, loose.node));
    return port ? [...ops, put(['threads', freshId('thread')], { from: loose.node, to: id, port: port.name })] : ops;
  }
  return [...ops, ...threading(document, schemas, id, loose.node, loose.port)];
}

/** A node put in between the ends of a thread; nothing where it does not fit. */
export function putBetween(document: Scene, schemas: readonly NodeSchema[], thread: string, node: string): Op[] | null {
  const held = document.threads?.[thread];
  const schema = schemaOf(schemas, document, node);
  if (!held || !schema || held.from === node || held.to === node) return null;
  const kind = kindOf(schemas, document, held.from);
  const port = schema.inputs.find((input) => input.kind === kind);
  if (!port || schema.output !== kind || kind === null) return null;
  const circle = feeds(document, node, held.from) || feeds(document, held.to, node);
  if (circle) return null;
  return [...threading(document, schemas, held.from, node, port.name), remove(['threads', thread]), put(['threads', freshId('thread')], { from: node, to: held.to, port: held.port })];
}

/** Nodes that were copied, with the threads among them and the files that they name. */
export interface Clip {
  zickzack: 'nodes';
  nodes: Record<string, SceneNode>;
  threads: Record<string, Thread>;
  assets: NonNullable<Scene['assets']>;
}

/** Nodes as they are copied. */
export function copied(document: Scene, ids: readonly string[]): Clip {
  const nodes = Object.fromEntries(ids.flatMap((id) => (document.nodes?.[id] ? [[id, structuredClone(document.nodes[id])]] : [])));
  const threads = Object.fromEntries(Object.entries(document.threads ?? {}).filter(([, thread]) => nodes[thread.from] && nodes[thread.to]));
  const named = new Set(Object.values(nodes).flatMap((node) => Object.values(node.params ?? {}).filter((value): value is string => typeof value === 'string')));
  const assets = Object.fromEntries(Object.entries(document.assets ?? {}).filter(([name]) => named.has(name)));
  return { zickzack: 'nodes', nodes, threads, assets };
}

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

/** What a text that was copied holds; throws a sentence when it is something else. */
export function clipOf(text: string): Clip {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    value = null;
  }
  if (!isRecord(value) || value['zickzack'] !== 'nodes' || !isRecord(value['nodes'])) throw new Error('What was copied is not from a Weave: copy some slips first.');
  const clip = { assets: {}, threads: {}, ...value } as unknown as Clip;
  const whole = (node: unknown) => isRecord(node) && typeof node['type'] === 'string' && typeof node['name'] === 'string';
  const tied = (thread: unknown) => isRecord(thread) && ['from', 'to', 'port'].every((field) => typeof thread[field] === 'string');
  if (!Object.values(clip.nodes).every(whole) || !isRecord(clip.threads) || !Object.values(clip.threads).every(tied) || !isRecord(clip.assets)) throw new Error('What was copied is damaged: copy the slips again.');
  if (Object.keys(clip.nodes).length === 0) throw new Error('Nothing was copied: select some slips first.');
  return clip;
}

/** Puts copied nodes into a scene under new ids and free names, moved a little. */
export function pasted(document: Scene, clip: Clip, by: [number, number] = [28, 28]): { ops: Op[]; ids: string[] } {
  const ids = new Map(Object.entries(clip.nodes).map(([id, node]) => [id, freshId(node.type)]));
  const files = new Map<string, string>();
  const ops: Op[] = [];
  for (const [name, asset] of Object.entries(clip.assets)) {
    let free = name;
    const other = (file: string) => document.assets?.[file] !== undefined && document.assets[file]?.hash !== asset.hash;
    for (let number = 2; other(free); number += 1) free = name.replace(/(\.[^.]*)?$/, (ending) => `-${number}${ending}`);
    files.set(name, free);
    if (!document.assets?.[free]) ops.push(put(['assets', free], asset));
  }
  const names: string[] = [];
  for (const [id, node] of Object.entries(clip.nodes)) {
    const name = freeName(document, node.name, names);
    names.push(name);
    const params = Object.fromEntries(Object.entries(node.params ?? {}).map(([key, value]) => [key, typeof value === 'string' ? (files.get(value) ?? value) : value]));
    const fresh: Record<string, unknown> = { ...node, name, params, at: [(node.at?.[0] ?? 0) + by[0], (node.at?.[1] ?? 0) + by[1]] };
    if (!document.groups?.[node.group ?? '']) delete fresh['group'];
    ops.push(put(['nodes', ids.get(id) ?? id], fresh));
  }
  for (const thread of Object.values(clip.threads)) {
    ops.push(put(['threads', freshId('thread')], { from: ids.get(thread.from) ?? thread.from, to: ids.get(thread.to) ?? thread.to, port: thread.port }));
  }
  return { ops, ids: [...ids.values()] };
}

/** Nodes once more beside themselves, fed by what feeds them. */
export function duplicated(document: Scene, chosen: readonly string[]): { ops: Op[]; ids: string[] } {
  const clip = copied(document, chosen);
  const { ops, ids } = pasted(document, clip, [176, 0]);
  const fresh = new Map(Object.keys(clip.nodes).map((id, i) => [id, ids[i]]));
  for (const thread of Object.values(document.threads ?? {})) {
    const to = fresh.get(thread.to);
    if (to && !fresh.has(thread.from)) ops.push(put(['threads', freshId('thread')], { ...thread, to }));
  }
  return { ops, ids };
}

/** Groups nodes under a name; those that are one whole group already are taken out of it. */
export function grouped(document: Scene, chosen: readonly string[]): { label: string; ops: Op[] } {
  const groups = new Set(chosen.map((id) => document.nodes?.[id]?.group ?? null));
  const [only] = groups;
  if (groups.size === 1 && only) {
    const members = membersOf(document, only);
    if (members.every((id) => chosen.includes(id))) return { label: 'take the group apart', ops: takenApart(document, only) };
  }
  const id = freshId('group');
  const names = new Set(Object.values(document.groups ?? {}).map((group) => group.name));
  let name = 'Group';
  for (let number = 2; names.has(name); number += 1) name = `Group ${number}`;
  const empty = Object.keys(document.groups ?? {}).filter((other) => membersOf(document, other).every((node) => chosen.includes(node)));
  return { label: 'group', ops: [put(['groups', id], { name }), ...chosen.map((node) => put(['nodes', node, 'group'], id)), ...empty.map((other) => remove(['groups', other]))] };
}

/** The nodes of a group. */
export const membersOf = (document: Scene, group: string): string[] => Object.entries(document.nodes ?? {}).flatMap(([id, node]) => (node.group === group ? [id] : []));

/** A group without its name: its nodes stay. */
export const takenApart = (document: Scene, group: string): Op[] => [...membersOf(document, group).map((id) => remove(['nodes', id, 'group'])), remove(['groups', group])];

/** Removes nodes, and groups that are left with none. */
export function removal(document: Scene, chosen: readonly string[]): Op[] {
  const left = (group: string) => membersOf(document, group).every((id) => chosen.includes(id));
  const empty = Object.keys(document.groups ?? {}).filter((group) => membersOf(document, group).length > 0 && left(group));
  return [...chosen.map((id) => remove(['nodes', id])), ...empty.map((group) => remove(['groups', group]))];
}
