import type { NodeSchema, Op, Param, Scene } from '../api/types';
import { freshId, put, remove } from './edits';
import { inserted, isKeyed, keyOps, keysOf, listOf, valueAtFrame, written, type Key, type NumberName } from './keyed';
import type { TraceBlock } from './store';

/** How a number is given. */
export type How = 'number' | 'keys' | 'formula' | 'thread';

const AXES = ['x', 'y', 'z'];

/** The ports of a parameter that signals can be threaded to. */
export function portsOf(param: Param): string[] {
  if (param.drives === 'fixed') return [];
  if (param.values.kind === 'vector') return AXES.map((axis) => `${param.name}.${axis}`);
  return ['number', 'whole', 'fraction'].includes(param.values.kind) ? [param.name] : [];
}

/** The words for a port: those of its parameter, and of its axis. */
export function portWords(schema: NodeSchema | undefined, port: string): string {
  const [name, axis] = port.split('.');
  const label = schema?.params.find((param) => param.name === name)?.label ?? port;
  return axis ? `${label} ${axis}` : label;
}

/** The thread that ends at a number, if there is one. */
export const threadTo = (document: Scene, { node, port }: NumberName): [string, { from: string }] | undefined => Object.entries(document.threads ?? {}).find(([, thread]) => thread.to === node && thread.port === port);

/** What stands in the document for a number: plain, keys or a formula; the default where nothing does. */
function standing(document: Scene, number: NumberName, param: Param): unknown {
  const [, axis] = number.port.split('.');
  const value = document.nodes?.[number.node]?.params?.[param.name] ?? ('default' in param.values ? param.values.default : 0);
  return axis ? (value as unknown[])[AXES.indexOf(axis)] : value;
}

export function howGiven(document: Scene, number: NumberName, param: Param): How {
  if (threadTo(document, number)) return 'thread';
  const value = standing(document, number, param);
  if (isKeyed(value)) return 'keys';
  return typeof value === 'object' && value !== null ? 'formula' : 'number';
}

/** Sets what stands for a number, in the place of whatever gave it before. */
export function give(document: Scene, number: NumberName, param: Param, value: unknown): Op[] {
  const thread = threadTo(document, number);
  const cut = thread ? [remove(['threads', thread[0]])] : [];
  const [name = '', axis] = number.port.split('.');
  const at = ['nodes', number.node, 'params', name];
  if (!axis) return [...cut, put(at, value)];
  const whole = (document.nodes?.[number.node]?.params?.[name] ?? ('default' in param.values ? param.values.default : [0, 0, 0])) as unknown[];
  return [...cut, put(at, whole.map((part, i) => (i === AXES.indexOf(axis) ? value : part)))];
}

/** The value of a number at a frame, however it is given; of formulas and threads as far as the server told it. */
export function valueNow(document: Scene, number: NumberName, param: Param, signals: TraceBlock | null, frame: number): number {
  const keyed = keysOf(document, number);
  if (keyed) return valueAtFrame(keyed, document.frames, frame);
  const index = signals?.header.node === number.node ? signals.header.channels.findIndex((channel) => channel.port === number.port) : -1;
  if (signals && index >= 0) {
    const { steps } = signals.header;
    const [from, to] = [signals.numbers[0] ?? 0, signals.numbers[steps - 1] ?? 1];
    const step = Math.max(0, Math.min(steps - 1, Math.round(((frame - from) / (to - from)) * (steps - 1))));
    return Number((signals.numbers[steps * (1 + 2 * index) + step] ?? 0).toPrecision(7));
  }
  const value = standing(document, number, param);
  if (typeof value === 'string') {
    const [above = 0, below = 1] = value.split('/').map(Number);
    return above / below;
  }
  return typeof value === 'number' ? value : 0;
}

/** A plain number as a parameter takes it. */
export function plain(param: Param, value: number): unknown {
  if (param.values.kind === 'fraction') return String(Number(value.toFixed(9)));
  return param.values.kind === 'whole' ? Math.round(value) : value;
}

/** Gives a number by keys: those that it has by a thread, with one at a frame; else that one alone, with the value that it has there. */
export function giveKeys(document: Scene, number: NumberName, param: Param, frame: number, value: number): Op[] {
  const thread = threadTo(document, number);
  const drawn = thread && keysOf(document, { node: thread[1].from, port: '' });
  const keyed = drawn && drawn.keys.length > 0 ? written(inserted(drawn.keys, frame), drawn.beyond) : null;
  return give(document, number, param, keyed ?? { keys: [{ id: freshId('key'), frame, value }] });
}

/** A key at a frame with a value: that of the curve where none is named. */
export function keyAt(document: Scene, number: NumberName, frame: number, value?: number): { ops: Op[]; id: string } {
  const keys = keysOf(document, number)?.keys ?? [];
  const there = keys.find((key) => Math.abs(key.frame - frame) < 1e-6);
  if (there) return { ops: value === undefined ? [] : [put([...listOf(number), there.id], { ...there, value })], id: there.id };
  const id = freshId('key');
  const next: Key[] = value === undefined ? inserted(keys, frame, id) : [...keys, { id, frame, value }];
  return { ops: keyOps(number, keys, next), id };
}

/** Without a key; the last one leaves its value as a plain number. */
export function unkeyed(document: Scene, number: NumberName, param: Param, id: string): Op[] {
  const keys = keysOf(document, number)?.keys ?? [];
  const [only] = keys;
  if (keys.length === 1 && only && number.port !== '') return give(document, number, param, plain(param, only.value));
  return [remove([...listOf(number), id])];
}

/** Nodes that give a signal and are not fed by a node. */
export function signalsFor(document: Scene, schemas: readonly NodeSchema[], node: string): string[] {
  const threads = Object.values(document.threads ?? {});
  const fed = new Set([node]);
  for (const id of fed) for (const thread of threads) if (thread.from === id) fed.add(thread.to);
  return Object.entries(document.nodes ?? {}).flatMap(([id, { type }]) => (schemas.find((schema) => schema.name === type)?.output === 'signal' && !fed.has(id) ? [id] : []));
}

