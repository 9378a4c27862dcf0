import { create } from 'zustand';
import type { BodyHeader, Header, PathHeader, PosesHeader, TracesHeader } from '../api/blocks';
import type { EndLook, EndReport, NodeStatus, Op, Scene } from '../api/types';
import { bodiesOf, bodyName, bodyOf, type Bodies } from './taken/bodies';
import { applied } from './edits';
import { belongs, formOf, isHere, numberOf, roomFor, scaleAlong, startOf, take, type Poses } from './taken/poses';

export interface PathBlock {
  header: PathHeader;
  numbers: Float32Array;
}

export interface TraceBlock {
  header: TracesHeader;
  numbers: Float32Array;
}

/** A change on its way to the server. */
export interface Pending {
  /** Whose it is: this page's, or that of one that left it behind. */
  client: string;
  sequence: number;
  kind: 'edit' | 'undo' | 'redo';
  label: string;
  ops: Op[];
  /** It may have arrived, so it cannot be withdrawn any more. */
  sent: boolean;
}

/** A version that is laid beneath the scene. */
export interface Compared {
  id: string;
  name: string;
  paths: Record<string, PathBlock>;
  poses: Record<string, Poses>;
  traces: TraceBlock | null;
}

export interface Message {
  text: string;
  tone: 'wrong' | 'told';
}

/** True while changes wait that the server has not taken: what it said of the scene is of how it was before them. */
export const isBehind = ({ pending, connection, trouble }: Pick<State, 'pending' | 'connection' | 'trouble'>): boolean => pending.length > 0 && (connection !== 'open' || trouble !== null);

/** Whether everything that is shown and told is of the scene as it is, with all that was changed. */
export const isMeasured = ({ pending, measured, revision, withheld }: Pick<State, 'pending' | 'measured' | 'revision' | 'withheld'>): boolean =>
  pending.length === 0 && (withheld !== null || measured === revision);

interface State {
  connection: 'connecting' | 'open' | 'lost';
  /** The server has said that it is being stopped, and is not back yet. */
  stopping: boolean;
  /** Why the scene is not worked out, where the server ended over it. */
  withheld: string | null;
  revision: number;
  /** The revision of which everything that is shown and told has come. */
  measured: number | null;
  /** What the server keeps. */
  base: Scene | null;
  /** Not kept yet, in order. */
  pending: Pending[];
  /** Taken back before they were sent, the newest last. */
  withdrawn: Pending[];
  /** Why what is pending is not taken just now. */
  trouble: string | null;
  preview: Op[] | null;
  /** What is shown: base, pending edits, preview. */
  document: Scene | null;
  /** What could be taken back and done again, in words. */
  undo: string | null;
  redo: string | null;
  nodes: Record<string, NodeStatus>;
  /** What moves, as it is drawn; what is measured of it may come later. */
  looks: EndLook[];
  /** The bodies of what is dented. */
  bodies: Bodies;
  ends: EndReport[];
  /** True once the server has said what moves. */
  endsKnown: boolean;
  paths: Record<string, PathBlock>;
  poses: Record<string, Poses>;
  traces: TraceBlock | null;
  /** What changes over time in the numbers of the selected node. */
  signals: TraceBlock | null;
  /** Selected keys, and the number that they belong to. */
  keys: { node: string; port: string; ids: string[] } | null;
  /** The number that K keys: a node's port. */
  number: { node: string; port: string } | null;
  /** Grows whenever poses arrive: their numbers are filled in place. */
  posesVersion: number;
  compared: Compared | null;
  /** Poses that lie under those of now while a bake is looked at. */
  faint: Record<string, Poses> | null;
  message: Message | null;
  /** Selected nodes; the last one is looked at in the Card. */
  chosen: string[];
  selected: string | null;
  /** Selected points of the selected path; the last one has the handles. */
  points: string[];
  point: string | null;
  thing: { node: string; object: number } | null;
  /** What stands in the place of the Card. */
  aside: 'seam' | 'versions' | null;
  /** The path that is being drawn: none, a new one that has no point yet (empty), or its node. */
  drawing: string | null;
  /** Which side of a model the next click on an arrow names. */
  picking: 'nose' | 'top' | 'pivot' | null;
}

const fresh: State = {
  connection: 'connecting',
  stopping: false,
  withheld: null,
  revision: 0,
  measured: null,
  base: null,
  pending: [],
  withdrawn: [],
  trouble: null,
  preview: null,
  document: null,
  undo: null,
  redo: null,
  nodes: {},
  looks: [],
  bodies: {},
  ends: [],
  endsKnown: false,
  paths: {},
  poses: {},
  traces: null,
  signals: null,
  keys: null,
  number: null,
  posesVersion: 0,
  compared: null,
  faint: null,
  message: null,
  chosen: [],
  selected: null,
  points: [],
  point: null,
  thing: null,
  aside: null,
  drawing: null,
  picking: null,
};

/** Everything about the scene on the bench; components read from it and keep none of it. */
export const useScene = create<State>(() => fresh);

const { getState: get, setState: set } = useScene;

export const reset = (): void => set(fresh, true);

/** The document that follows from what is kept and what is on its way. */
function shown(base: Scene | null, pending: readonly Pending[], preview: readonly Op[] | null): Scene | null {
  if (!base) return null;
  const sent = pending.reduce((scene, edit) => applied(scene, edit.ops), base);
  return preview ? applied(sent, preview) : sent;
}

/** Sets what the document follows from. */
export function setDocument(change: Partial<Pick<State, 'base' | 'pending' | 'withdrawn' | 'trouble' | 'preview' | 'revision' | 'undo' | 'redo'>>): void {
  set((state) => {
    const next = { ...state, ...change };
    const document = shown(next.base, next.pending, next.preview);
    const chosen = next.chosen.every((id) => document?.nodes?.[id]) ? next.chosen : next.chosen.filter((id) => document?.nodes?.[id]);
    return chosen === next.chosen ? { ...change, document } : { ...change, document, ...chosenState(chosen) };
  });
}

const chosenState = (chosen: string[]) => ({ chosen, selected: chosen.at(-1) ?? null, points: [], point: null, picking: null, keys: null, number: null });

/** Selects one node and perhaps a point of it, and the thing of its motion that is looked at. */
export function select(node: string | null, point: string | null = null): void {
  selectAll(node === null ? [] : [node]);
  if (point !== null) set({ points: [point], point });
}

/** Selects several nodes; the last one is looked at in the Card. */
export function selectAll(chosen: string[]): void {
  set((state) => {
    const end = state.ends.find((end) => end.node === chosen.at(-1));
    const thing = end ? { node: end.node, object: state.thing?.node === end.node ? state.thing.object : 0 } : state.thing;
    return { ...chosenState(chosen), thing, aside: null };
  });
}

/** Takes a node into the selection, or out of it. */
export function alsoSelect(node: string): void {
  const { chosen } = get();
  selectAll(chosen.includes(node) ? chosen.filter((id) => id !== node) : [...chosen, node]);
}

/** Selects points of a path; with `also` beside those that are selected, or no longer. */
export function selectPoints(node: string, ids: string[], also = false): void {
  set((state) => {
    const known = state.selected === node && also ? state.points : [];
    const kept = known.filter((id) => !ids.includes(id));
    const points = [...kept, ...ids.filter((id) => !known.includes(id))];
    return { ...chosenState([node]), points, point: points.at(-1) ?? null, aside: null };
  });
}

export const selectThing = (node: string, object: number): void => set({ ...chosenState([node]), thing: { node, object }, aside: null });

export const say = (text: string, tone: Message['tone'] = 'wrong'): void => set({ message: { text, tone } });

/** A motion's poses with one more block. */
function withBlock(known: Record<string, Poses>, header: PosesHeader, numbers: Float32Array): Record<string, Poses> {
  let poses = known[header.node];
  if (!poses || !belongs(poses, header)) poses = roomFor(header);
  take(poses, header, numbers);
  return known[header.node] === poses ? known : { ...known, [header.node]: poses };
}

/** Takes in a block of poses. */
export function takePoses(header: PosesHeader, numbers: Float32Array): void {
  set((state) => {
    const posesVersion = state.posesVersion + 1;
    if (!header.stamp.compared) return { poses: withBlock(state.poses, header, numbers), posesVersion };
    return state.compared ? { compared: { ...state.compared, poses: withBlock(state.compared.poses, header, numbers) }, posesVersion } : {};
  });
}

/** Takes in the body of what is dented. */
function takeBody(header: BodyHeader, numbers: Float32Array): void {
  const body = bodyOf(header, numbers);
  set(({ bodies }) => ({ bodies: { ...bodies, [bodyName(header.node, header.of)]: body } }));
}

/** Takes in what moves and how it is drawn, and forgets the bodies of what is gone. */
export const takeLooks = (looks: EndLook[]): void => set(({ bodies }) => ({ looks, bodies: bodiesOf(bodies, looks) }));

/** Takes in a path as it is drawn. */
function takePath(header: PathHeader, numbers: Float32Array): void {
  const block = { header, numbers };
  set((state) => {
    if (!header.stamp.compared) return { paths: { ...state.paths, [header.node]: block } };
    return state.compared ? { compared: { ...state.compared, paths: { ...state.compared.paths, [header.node]: block } } } : {};
  });
}

/** Takes in the channels of a thing. */
function takeTraces(header: TracesHeader, numbers: Float32Array): void {
  const traces = { header, numbers };
  set((state) => {
    if (header.kind === 'signals') return { signals: traces };
    if (!header.stamp.compared) return { traces };
    return state.compared ? { compared: { ...state.compared, traces } } : {};
  });
}

/** Takes in a block. */
export function takeBlock(header: Header, numbers: Float32Array): void {
  if (header.kind === 'poses') takePoses(header, numbers);
  else if (header.kind === 'path') takePath(header, numbers);
  else if (header.kind === 'body') takeBody(header, numbers);
  else takeTraces(header, numbers);
}

/** Selects keys of a number; with `also` beside those that are selected, or no longer. */
export function selectKeys(node: string, port: string, ids: string[], also = false): void {
  set(({ keys }) => {
    const known = also && keys?.node === node && keys.port === port ? keys.ids : [];
    return { keys: { node, port, ids: [...known.filter((id) => !ids.includes(id)), ...ids.filter((id) => !known.includes(id))] }, number: { node, port } };
  });
}

/** Only the entries whose names pass; the same object when all do. */
function only<T>(entries: Record<string, T>, passes: (name: string) => boolean): Record<string, T> {
  const names = Object.keys(entries);
  const left = names.filter(passes);
  return left.length === names.length ? entries : Object.fromEntries(left.map((name) => [name, entries[name] as T]));
}

const told = ({ state, messages, facts, closing, mends, cut, span, millis, progress }: NodeStatus): string => JSON.stringify([state, messages, facts, closing, mends, cut, span, millis, progress]);

/** Takes in the state of all nodes, keeping what did not change, and forgets what is gone. */
export function takeNodes(nodes: Record<string, NodeStatus>): void {
  set((state) => {
    const merged: Record<string, NodeStatus> = {};
    for (const [id, status] of Object.entries(nodes)) {
      const before = state.nodes[id];
      const picture = status.miniature ?? (status.state === 'error' ? undefined : before?.miniature);
      merged[id] = before && before.miniature === picture && told(before) === told(status) ? before : { ...status, miniature: picture };
    }
    const drawn = (id: string) => nodes[id] !== undefined && nodes[id].state !== 'error' && nodes[id].state !== 'bypassed';
    return { nodes: merged, paths: only(state.paths, drawn) };
  });
}

/** Takes in the ends, forgets motions that are gone, and looks at some thing. */
export function takeEnds(ends: EndReport[]): void {
  set((state) => {
    const poses = only(state.poses, (id) => ends.some((end) => end.node === id));
    const known = ends.find((end) => end.node === state.thing?.node);
    const first = ends[0];
    const thing = known && state.thing && state.thing.object < known.things ? state.thing : first ? { node: first.node, object: 0 } : null;
    return { ends, endsKnown: true, poses, thing, posesVersion: state.posesVersion + 1, traces: thing ? state.traces : null };
  });
}

/** The pose of a thing at a whole frame, as it is shown; for tests and read-outs. */
export function poseAt(node: string, object: number, frame: number): number[] | null {
  const poses = get().poses[node];
  if (!poses || object >= poses.things || !isHere(poses, frame)) return null;
  const place = startOf(poses, 'position', frame, object) ?? 0;
  const turn = startOf(poses, 'orientation', frame, object);
  const turned = turn === null ? [0, 0, 0, 1] : [...poses.numbers.subarray(turn, turn + 4)];
  return [...poses.numbers.subarray(place, place + 3), ...turned, scaleAlong(poses, 0, frame, object)];
}

/** The numbers of a thing's form at a whole frame; for tests. */
export function formAt(node: string, object: number, frame: number): number[] | null {
  const poses = get().poses[node];
  const start = poses && object < poses.things ? formOf(poses, frame, object) : null;
  if (!poses || start === null) return null;
  return [...poses.numbers.subarray(start, start + (poses.forms[numberOf(poses, 'kind', frame, object, 0)] ?? 0))];
}

/** Where a thing is in its clips at a whole frame: the mixture and the part of the cycle; for tests. */
export function clipAt(node: string, object: number, frame: number): number[] | null {
  const poses = get().poses[node];
  const start = poses && object < poses.things ? startOf(poses, 'clip', frame, object) : null;
  return poses && start !== null ? [...poses.numbers.subarray(start, start + 2)] : null;
}

/** The places of a path's first strand, three numbers each; for tests. */
export function pathOf(node: string): number[] | null {
  const block = get().paths[node];
  return block ? [...block.numbers.subarray(0, 3 * (block.header.strands[0]?.points ?? 0))] : null;
}

/** The values of a channel over the frames of its block. */
function channelOf(block: TraceBlock | null, name: string): number[] {
  const index = block?.header.channels.findIndex((channel) => channel.name === name) ?? -1;
  if (!block || index < 0) return [];
  const start = block.header.steps * (1 + 2 * index);
  return [...block.numbers.subarray(start, start + block.header.steps)];
}

/** A channel of the thing that is traced; for tests. */
export const traceOf = (name: string): number[] => channelOf(get().traces, name);

/** A number over time of the selected node, as the server has it; for tests. */
export const signalOf = (name: string): number[] => channelOf(get().signals, name);

/** Frames at which one shot cuts to another. */
export const cutsOf = (nodes: Record<string, NodeStatus>): number[] => [...new Set(Object.values(nodes).flatMap(({ cut }) => (cut == null ? [] : [cut])))];

/** Where in the loop signals do something, where that is not always. */
export const spansOf = (nodes: Record<string, NodeStatus>, frames: number): { node: string; from: number; to: number }[] =>
  Object.entries(nodes).flatMap(([node, { span }]) => {
    const [from = 0, to = frames] = span ?? [];
    return to - from < frames ? [{ node, from, to }] : [];
  });
