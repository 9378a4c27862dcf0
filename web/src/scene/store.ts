import { create } from 'zustand';
import { POSE_FLOATS, type PathHeader, type PosesHeader, type TracesHeader } from '../api/blocks';
import type { EndReport, NodeStatus, Op, Scene } from '../api/types';
import { applied } from './edits';

export interface PathBlock {
  header: PathHeader;
  numbers: Float32Array;
}

/** The poses of a motion for all frames of the loop; frames that did not arrive yet are marked. */
export interface Poses {
  node: string;
  things: number;
  frames: number;
  numbers: Float32Array;
  have: Uint8Array;
}

export interface TraceBlock {
  header: TracesHeader;
  numbers: Float32Array;
}

export interface Pending {
  sequence: number;
  label: string;
  ops: Op[];
}

export interface Message {
  text: string;
  tone: 'wrong' | 'told';
}

interface State {
  connection: 'connecting' | 'open' | 'lost';
  revision: number;
  /** What the server keeps. */
  base: Scene | null;
  /** Sent, but not kept yet. */
  pending: Pending[];
  preview: Op[] | null;
  /** What is shown: base, pending edits, preview. */
  document: Scene | null;
  canUndo: boolean;
  canRedo: boolean;
  nodes: Record<string, NodeStatus>;
  ends: EndReport[];
  /** True once the server has said what moves. */
  endsKnown: boolean;
  paths: Record<string, PathBlock>;
  poses: Record<string, Poses>;
  traces: TraceBlock | null;
  /** Grows whenever poses arrive: their numbers are filled in place. */
  posesVersion: number;
  message: Message | null;
  selected: string | null;
  point: string | null;
  thing: { node: string; object: number } | null;
  seamOpen: boolean;
  drawing: boolean;
}

const fresh: State = {
  connection: 'connecting',
  revision: 0,
  base: null,
  pending: [],
  preview: null,
  document: null,
  canUndo: false,
  canRedo: false,
  nodes: {},
  ends: [],
  endsKnown: false,
  paths: {},
  poses: {},
  traces: null,
  posesVersion: 0,
  message: null,
  selected: null,
  point: null,
  thing: null,
  seamOpen: false,
  drawing: false,
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
export function setDocument(change: Partial<Pick<State, 'base' | 'pending' | 'preview' | 'revision' | 'canUndo' | 'canRedo'>>): void {
  set((state) => {
    const next = { ...state, ...change };
    const document = shown(next.base, next.pending, next.preview);
    const gone = (id: string | null) => (id !== null && !document?.nodes?.[id] ? null : id);
    return { ...change, document, selected: gone(next.selected) };
  });
}

/** Selects a node, and the thing of its motion that is looked at. */
export function select(node: string | null, point: string | null = null): void {
  set((state) => {
    const end = state.ends.find((end) => end.node === node);
    const thing = end ? { node: end.node, object: state.thing?.node === end.node ? state.thing.object : 0 } : state.thing;
    return { selected: node, point, thing, seamOpen: false };
  });
}

export const selectThing = (node: string, object: number): void => set({ thing: { node, object }, selected: node, point: null, seamOpen: false });

export const say = (text: string, tone: Message['tone'] = 'wrong'): void => set({ message: { text, tone } });

/** Takes in a block of poses. */
export function takePoses(header: PosesHeader, numbers: Float32Array): void {
  const state = get();
  const row = header.things * POSE_FLOATS;
  let poses = state.poses[header.node];
  if (!poses || poses.things !== header.things || poses.frames !== header.frames) {
    poses = { node: header.node, things: header.things, frames: header.frames, numbers: new Float32Array(header.frames * row), have: new Uint8Array(header.frames) };
  }
  poses.numbers.set(numbers.subarray(0, header.count * row), header.from * row);
  poses.have.fill(1, header.from, header.from + header.count);
  set({ poses: { ...state.poses, [header.node]: poses }, posesVersion: state.posesVersion + 1 });
}

/** Takes in the state of all nodes, keeping pictures that did not change, and forgets what is gone. */
export function takeNodes(nodes: Record<string, NodeStatus>): void {
  set((state) => {
    const merged: Record<string, NodeStatus> = {};
    for (const [id, status] of Object.entries(nodes)) {
      const known = status.state === 'error' ? undefined : state.nodes[id]?.miniature;
      merged[id] = { ...status, miniature: status.miniature ?? known };
    }
    const paths = Object.fromEntries(Object.entries(state.paths).filter(([id]) => nodes[id] && nodes[id].state !== 'error'));
    return { nodes: merged, paths };
  });
}

/** Takes in the ends, forgets motions that are gone, and looks at some thing. */
export function takeEnds(ends: EndReport[]): void {
  set((state) => {
    const poses = Object.fromEntries(Object.entries(state.poses).filter(([id]) => ends.some((end) => end.node === id)));
    const known = ends.find((end) => end.node === state.thing?.node);
    const first = ends[0];
    const thing = known && state.thing && state.thing.object < known.things ? state.thing : first ? { node: first.node, object: 0 } : null;
    return { ends, endsKnown: true, poses, thing, posesVersion: state.posesVersion + 1, traces: thing ? state.traces : null };
  });
}

/** The pose of a thing at a whole frame, as it is shown; for tests and read-outs. */
export function poseAt(node: string, object: number, frame: number): number[] | null {
  const poses = get().poses[node];
  if (!poses || object >= poses.things || !poses.have[frame]) return null;
  const start = (frame * poses.things + object) * POSE_FLOATS;
  return [...poses.numbers.subarray(start, start + POSE_FLOATS)];
}
