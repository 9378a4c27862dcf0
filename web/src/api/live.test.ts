// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { put } from '../scene/edits';
import { useScene } from '../scene/store';
import { Live } from './live';
import type { FromPage, Op, Scene, ToPage } from './types';

/** A socket whose other end is the test. */
class Socket {
  static all: Socket[] = [];
  static readonly OPEN = 1;
  readyState = 0;
  binaryType = '';
  sent: FromPage[] = [];
  onopen: (() => void) | null = null;
  onmessage: ((event: { data: string }) => void) | null = null;
  onclose: (() => void) | null = null;

  constructor(readonly url: string) {
    Socket.all.push(this);
  }

  send(text: string): void {
    this.sent.push(JSON.parse(text) as FromPage);
  }

  close(): void {
    this.drop();
  }

  opens(): void {
    this.readyState = 1;
    this.onopen?.();
  }

  says(message: ToPage): void {
    this.onmessage?.({ data: JSON.stringify(message) });
  }

  drop(): void {
    this.readyState = 3;
    this.onclose?.();
  }

  kinds(): string[] {
    return this.sent.map((message) => message.kind);
  }
}

const scene = { format: 'zickzack-scene', version: 1, name: 'Round', space: 'deep', fps: '24', frames: 120, nodes: { ride: { type: 'ride', name: 'Riders' } }, threads: {} } as unknown as Scene;
const riders = (n: number): Op[] => [{ op: 'put', at: ['nodes', 'ride', 'params', 'riders'], value: n }];
const shown = () => useScene.getState().document?.nodes?.['ride']?.params?.['riders'];
const told = (revision: number): ToPage => ({ kind: 'scene', revision, document: scene, can_undo: false, can_redo: false });

let live: Live;
let socket: Socket;

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('WebSocket', Socket);
  Socket.all = [];
  sessionStorage.clear();
  live = new Live('11111111-1111-1111-1111-111111111111');
  socket = Socket.all[0]!;
  socket.opens();
  socket.says(told(4));
});

afterEach(() => {
  live.close();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('the live connection', () => {
  it('says hello first', () => {
    expect(socket.kinds()[0]).toBe('hello');
    expect(useScene.getState().connection).toBe('open');
  });

  it('shows an edit at once and waits for it to be kept', () => {
    live.edit('set riders', riders(5));
    expect(shown()).toBe(5);
    expect(useScene.getState().pending).toHaveLength(1);
    const edit = socket.sent.at(-1) as Extract<FromPage, { kind: 'edit' }>;
    const client = (socket.sent[0] as Extract<FromPage, { kind: 'hello' }>).client;
    socket.says({ kind: 'edited', revision: 5, client, sequence: edit.sequence, ops: edit.ops, can_undo: true, can_redo: false });
    expect(useScene.getState()).toMatchObject({ pending: [], revision: 5, canUndo: true });
    expect(shown()).toBe(5);
  });

  it('takes a refused edit back and says why', () => {
    live.edit('set riders', riders(-1));
    const { sequence } = socket.sent.at(-1) as Extract<FromPage, { kind: 'edit' }>;
    socket.says({ kind: 'refused', sequence, message: 'Riders must be at least 1.' });
    expect(shown()).toBeUndefined();
    expect(useScene.getState().message?.text).toBe('Riders must be at least 1.');
  });

  it('takes in what another page did, under what is on its way here', () => {
    live.edit('set riders', riders(5));
    socket.says({ kind: 'edited', revision: 5, client: 'other', sequence: 1, ops: [put(['frames'], 96), ...riders(2)], can_undo: false, can_redo: false });
    expect(useScene.getState().document?.frames).toBe(96);
    expect(shown()).toBe(5);
  });

  it('sends again what was not kept when the connection comes back, with its number and label', () => {
    live.edit('set riders', riders(5));
    const first = socket.sent.at(-1);
    socket.drop();
    expect(useScene.getState().connection).toBe('lost');
    live.edit('set riders', riders(6));
    expect(shown()).toBe(6);
    vi.advanceTimersByTime(10_000);
    const next = Socket.all.at(-1)!;
    expect(next).not.toBe(socket);
    next.opens();
    expect(next.kinds().slice(0, 3)).toEqual(['hello', 'edit', 'edit']);
    expect(next.sent[1]).toEqual(first);
    next.says(told(4));
    expect(shown()).toBe(6);
    expect(useScene.getState().pending).toHaveLength(2);
  });

  it('waits longer and longer for a server that is away, and gives up when it is closed', () => {
    for (let i = 0; i < 8; i += 1) {
      Socket.all.at(-1)!.drop();
      vi.advanceTimersByTime(9000);
    }
    expect(Socket.all).toHaveLength(9);
    live.close();
    vi.advanceTimersByTime(60_000);
    expect(Socket.all).toHaveLength(9);
  });

  it('keeps one preview on its way and sends only the newest after it', () => {
    for (let n = 1; n <= 30; n += 1) live.preview(riders(n));
    const previews = () => socket.sent.filter((message) => message.kind === 'preview');
    expect(previews()).toHaveLength(1);
    expect(shown()).toBe(30);
    socket.says({ kind: 'nodes', revision: 4, preview: 1, nodes: {} });
    expect(previews().at(-1)).toMatchObject({ number: 2, ops: riders(30) });
    socket.says({ kind: 'nodes', revision: 4, preview: 2, nodes: {} });
    expect(previews()).toHaveLength(2);
    live.edit('set riders', riders(31));
    expect(useScene.getState().preview).toBeNull();
  });

  it('goes on after a preview that was refused', () => {
    live.preview(riders(-1));
    live.preview(riders(3));
    socket.says({ kind: 'refused', sequence: null, message: 'riders is -1' });
    expect(socket.sent.at(-1)).toMatchObject({ kind: 'preview', ops: riders(3) });
  });

  it('never uses a number twice, even after a reload with a clock that went back', () => {
    const sequences = () => socket.sent.flatMap((message) => ('sequence' in message ? [message.sequence] : []));
    live.edit('a', riders(1));
    vi.setSystemTime(new Date('2001-01-01'));
    live.edit('b', riders(2));
    live.undo();
    live.redo();
    const found = sequences();
    expect(found).toHaveLength(4);
    expect([...found].sort((a, b) => a - b)).toEqual(found);
    expect(new Set(found).size).toBe(4);
  });
});
