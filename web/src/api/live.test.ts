// @vitest-environment jsdom
import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { put } from '../scene/edits';
import { isMeasured, useScene } from '../scene/store';
import { Live } from './live';
import { forgetPage } from './page';
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
const told = (revision: number): ToPage => ({ kind: 'scene', revision, document: scene, undo: null, redo: null });

let live: Live;
let socket: Socket;

const SCENE = '11111111-1111-1111-1111-111111111111';
/** What waits on promises, and the browser's store, which answers in its own time. */
const soon = globalThis.setTimeout;
const settled = async () => {
  for (let i = 0; i < 12; i += 1) await new Promise((resolve) => soon(resolve, 1));
};
const connect = async (): Promise<Socket> => {
  const before = Socket.all.length;
  live = new Live(SCENE);
  for (let i = 0; i < 50 && Socket.all.length === before; i += 1) await settled();
  return Socket.all.at(-1)!;
};
const sent = (on = socket) => on.sent.filter((message) => message.kind === 'edit');
const client = () => (socket.sent[0] as Extract<FromPage, { kind: 'hello' }>).client;
/** The server keeps an edit. */
const answers = (revision: number, edit: ReturnType<typeof sent>[number], on = socket) => {
  on.says({ kind: 'edited', revision, client: edit.client ?? client(), sequence: edit.sequence, ops: edit.ops, undo: edit.label, redo: null });
};

beforeEach(async () => {
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'setInterval', 'clearInterval', 'requestAnimationFrame', 'cancelAnimationFrame', 'Date', 'performance'] });
  vi.stubGlobal('WebSocket', Socket);
  vi.stubGlobal('indexedDB', new IDBFactory());
  Socket.all = [];
  sessionStorage.clear();
  localStorage.clear();
  forgetPage();
  socket = await connect();
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
    const edit = sent().at(-1)!;
    socket.says({ kind: 'edited', revision: 5, client: client(), sequence: edit.sequence, ops: edit.ops, undo: 'set riders', redo: null });
    expect(useScene.getState()).toMatchObject({ pending: [], revision: 5, undo: 'set riders' });
    expect(shown()).toBe(5);
  });

  it('takes a refused edit back and says why', () => {
    live.edit('set riders', riders(-1));
    const { sequence } = socket.sent.at(-1) as Extract<FromPage, { kind: 'edit' }>;
    socket.says({ kind: 'refused', sequence, message: 'Riders must be at least 1.', later: false });
    expect(shown()).toBeUndefined();
    expect(useScene.getState().message?.text).toBe('Riders must be at least 1.');
  });

  it('takes in what another page did, under what is on its way here', () => {
    live.edit('set riders', riders(5));
    socket.says({ kind: 'edited', revision: 5, client: 'other', sequence: 1, ops: [put(['frames'], 96), ...riders(2)], undo: null, redo: null });
    expect(useScene.getState().document?.frames).toBe(96);
    expect(shown()).toBe(5);
  });

  it('says why nothing is worked out, until it is', () => {
    socket.says({ kind: 'held', message: 'The server ended over it.' });
    expect(useScene.getState().withheld).toBe('The server ended over it.');
    live.workOut();
    expect(socket.sent.at(-1)).toEqual({ kind: 'work-out' });
    expect(useScene.getState().withheld).not.toBeNull();
    socket.says({ kind: 'nodes', revision: 4, preview: 0, nodes: {} });
    expect(useScene.getState().withheld).toBeNull();
  });

  it('sends edits in the order in which they were made, each once', () => {
    live.edit('first', riders(5));
    live.edit('second', riders(6));
    expect(sent().map((edit) => edit.label)).toEqual(['first', 'second']);
    expect(shown()).toBe(6);
    answers(5, sent()[0]!);
    answers(6, sent()[1]!);
    expect(sent()).toHaveLength(2);
    expect(useScene.getState().pending).toEqual([]);
  });

  it('knows a server that said it stops from one that is away, until it is back', () => {
    socket.says({ kind: 'stopping' });
    socket.drop();
    expect(useScene.getState()).toMatchObject({ connection: 'lost', stopping: true });
    vi.advanceTimersByTime(10_000);
    const next = Socket.all.at(-1)!;
    next.opens();
    next.says({ kind: 'scene', revision: 4, document: useScene.getState().document!, undo: null, redo: null });
    expect(useScene.getState()).toMatchObject({ connection: 'open', stopping: false });
  });

  it('sends again what was not kept when the connection comes back, with its number and label', () => {
    live.edit('set riders', riders(5));
    const first = sent()[0];
    socket.drop();
    expect(useScene.getState().connection).toBe('lost');
    live.edit('set riders', riders(6));
    expect(shown()).toBe(6);
    vi.advanceTimersByTime(10_000);
    const next = Socket.all.at(-1)!;
    expect(next).not.toBe(socket);
    next.opens();
    expect(sent(next)).toEqual([]);
    next.says(told(4));
    expect(sent(next)[0]).toEqual(first);
    expect(sent(next)).toHaveLength(2);
    answers(5, sent(next)[0]!, next);
    expect(shown()).toBe(6);
  });

  it('asks again later what the server could not keep, and says why it waits', () => {
    live.edit('set riders', riders(5));
    live.edit('set riders', riders(6));
    const [first, second] = sent().map((edit) => edit.sequence);
    socket.says({ kind: 'refused', sequence: first!, message: 'The disk of the database is full.', later: true });
    socket.says({ kind: 'refused', sequence: second!, message: 'An edit before this one waits.', later: true });
    expect(useScene.getState().trouble).toBe('The disk of the database is full.');
    expect(useScene.getState().message).toBeNull();
    expect(shown()).toBe(6);
    expect(sent()).toHaveLength(2);
    live.edit('set riders', riders(7));
    expect(sent()).toHaveLength(2);
    vi.advanceTimersByTime(6000);
    expect(sent().slice(2).map((edit) => edit.sequence).slice(0, 2)).toEqual([first, second]);
    expect(sent()).toHaveLength(5);
    sent().slice(2).forEach((edit, i) => answers(5 + i, edit));
    expect(useScene.getState()).toMatchObject({ trouble: null, pending: [], revision: 7 });
  });

  it('says that what is shown is of the scene as it is only once all of it has come', () => {
    expect(isMeasured(useScene.getState())).toBe(false);
    const come = (revision: number, preview = 0): void => socket.says({ kind: 'shown', revision, preview });
    come(4);
    expect(isMeasured(useScene.getState())).toBe(true);
    live.edit('set riders', riders(5));
    expect(isMeasured(useScene.getState())).toBe(false);
    answers(5, sent()[0]!);
    expect(isMeasured(useScene.getState())).toBe(false);
    come(5, 3);
    expect(isMeasured(useScene.getState())).toBe(false);
    come(5);
    expect(isMeasured(useScene.getState())).toBe(true);
  });

  it('finds on the next visit what was left waiting, and sends it once under the name of the page that did it', async () => {
    socket.drop();
    live.edit('set riders', riders(8));
    live.edit('set frames', [put(['frames'], 96)]);
    const gone = client();
    await settled();
    live.close();
    sessionStorage.clear();
    forgetPage();
    const next = await connect();
    next.opens();
    next.says(told(4));
    expect(shown()).toBe(8);
    expect(useScene.getState().document?.frames).toBe(96);
    expect(sent(next)[0]).toMatchObject({ label: 'set riders', client: gone });
    sent(next).forEach((edit, i) => answers(5 + i, edit, next));
    expect(useScene.getState().pending).toEqual([]);
    await settled();
    live.close();
    const last = await connect();
    last.opens();
    last.says(told(6));
    expect(sent(last)).toEqual([]);
  });

  it('takes back what was not sent yet without the server, and does it again', () => {
    socket.drop();
    live.edit('set riders', riders(5));
    live.edit('set riders', riders(6));
    live.undo();
    expect(shown()).toBe(5);
    live.undo();
    expect(shown()).toBeUndefined();
    live.undo();
    expect(useScene.getState().message?.text).toContain('when it is there again');
    live.redo();
    live.redo();
    expect(shown()).toBe(6);
    expect(new Set(useScene.getState().pending.map((edit) => edit.sequence)).size).toBe(2);
  });

  it('never withdraws what may have arrived', () => {
    live.edit('set riders', riders(5));
    socket.drop();
    live.undo();
    expect(shown()).toBe(5);
  });

  it('asks a server that has been silent while the machine slept, and connects anew when it does not answer', () => {
    // One look of the page passes in its time, the next one an hour late.
    vi.setSystemTime(Date.now() + 3_600_000);
    vi.advanceTimersByTime(10_000);
    expect(socket.kinds()).toContain('here');
    socket.says({ kind: 'here', revision: 4 });
    vi.advanceTimersByTime(20_000);
    expect(useScene.getState().connection).toBe('open');
    vi.setSystemTime(Date.now() + 3_600_000);
    vi.advanceTimersByTime(10_000);
    vi.advanceTimersByTime(20_000);
    expect(Socket.all.length).toBeGreaterThan(1);
  });

  it('waits longer and longer for a server that is away, and gives up when it is closed', () => {
    const waits: number[] = [];
    for (let i = 0; i < 8; i += 1) {
      const before = Socket.all.length;
      Socket.all.at(-1)!.drop();
      let waited = 0;
      while (Socket.all.length === before && waited < 60_000) {
        vi.advanceTimersByTime(50);
        waited += 50;
      }
      waits.push(waited);
    }
    expect(waits).toEqual([...waits].sort((a, b) => a - b));
    // Twice as long each time, until it is long enough.
    expect(waits[1]).toBeGreaterThan(1.5 * waits[0]!);
    expect(waits[2]).toBeGreaterThan(1.5 * waits[1]!);
    expect(waits.at(-1)).toBeLessThan(30_000);
    expect(Socket.all).toHaveLength(9);
    live.close();
    vi.advanceTimersByTime(60_000);
    expect(Socket.all).toHaveLength(9);
  });

  it('keeps one preview on its way and sends only the newest after it', () => {
    for (let n = 1; n <= 30; n += 1) live.preview(riders(n));
    vi.advanceTimersByTime(20);
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

  describe('an edit that is too large for a message', () => {
    const large = (n: number): Op[] => [{ op: 'put', at: ['nodes', 'ride', 'params', 'riders'], value: n }, { op: 'put', at: ['nodes', 'text'], value: 'x'.repeat(1_100_000) }];
    const asked: { path: string; body: { sequence: number; client: string; ops: Op[] }; answer: (status: number, body: unknown) => void }[] = [];
    beforeEach(() => {
      asked.length = 0;
      vi.stubGlobal('fetch', (path: string, init: { body: string }) => new Promise((resolve) => asked.push({ path, body: JSON.parse(init.body) as (typeof asked)[number]['body'], answer: (status, body) => resolve(new Response(JSON.stringify(body), { status })) })));
    });

    it('goes by a request, after what came before it and before what comes after it', async () => {
      live.edit('a', riders(1));
      live.edit('b', large(2));
      live.edit('c', riders(3));
      expect(sent().map((edit) => edit.label)).toEqual(['a']);
      expect(asked).toHaveLength(0);
      answers(5, sent()[0]!);
      expect(asked.map(({ path }) => path)).toEqual([`/api/scenes/${SCENE}/edits`]);
      const { sequence, client: by, ops } = asked[0]!.body;
      expect(by).toBe(client());
      // It is told over the live connection as well, in either order.
      asked[0]!.answer(200, { kind: 'edited', revision: 6, client: by, sequence, ops: [], undo: 'b', redo: null });
      await settled();
      expect(useScene.getState().pending).toHaveLength(2);
      socket.says({ kind: 'edited', revision: 6, client: by, sequence, ops, undo: 'b', redo: null });
      expect(sent().map((edit) => edit.label)).toEqual(['a', 'c']);
      answers(7, sent()[1]!);
      expect(useScene.getState()).toMatchObject({ pending: [], revision: 7 });
      expect(shown()).toBe(3);
    });

    it('is taken back and said to be refused where it can never be kept, and holds nothing up', async () => {
      live.edit('b', large(2));
      live.edit('c', riders(3));
      asked[0]!.answer(413, { message: 'That is larger than 64 MB: make it smaller.' });
      await settled();
      expect(useScene.getState().message?.text).toContain('64 MB');
      expect(sent().map((edit) => edit.label)).toEqual(['c']);
      expect(shown()).toBe(3);
    });

    it('is asked again where the server could not be reached, and is not doubled', async () => {
      live.edit('b', large(2));
      asked[0]!.answer(503, { kind: 'refused', sequence: asked[0]!.body.sequence, message: 'The database cannot be reached just now.', later: true });
      await settled();
      expect(useScene.getState().trouble).toContain('cannot be reached');
      vi.advanceTimersByTime(10_000);
      expect(asked.map(({ body }) => body.sequence)).toEqual([asked[0]!.body.sequence, asked[0]!.body.sequence]);
      socket.drop();
      vi.advanceTimersByTime(1_000);
      // It was kept meanwhile; the page learns so when it asks once more.
      socket = Socket.all.at(-1)!;
      socket.opens();
      socket.says(told(5));
      const { sequence, client: by } = asked[1]!.body;
      asked[1]!.answer(200, { kind: 'edited', revision: 5, client: by, sequence, ops: [], undo: 'b', redo: null });
      await settled();
      expect(useScene.getState().pending).toHaveLength(0);
      expect(asked).toHaveLength(2);
    });

    it('is sent again where it failed while the connection was new, or came too slowly', async () => {
      live.edit('b', large(2));
      socket.drop();
      vi.advanceTimersByTime(1_000);
      socket = Socket.all.at(-1)!;
      socket.opens();
      socket.says(told(4));
      expect(asked).toHaveLength(1);
      asked[0]!.answer(502, {});
      await settled();
      vi.advanceTimersByTime(10_000);
      expect(asked).toHaveLength(2);
      asked[1]!.answer(408, { message: 'That came too slowly: send it again.' });
      await settled();
      vi.advanceTimersByTime(10_000);
      expect(asked.map(({ body }) => body.sequence)).toEqual([1, 1, 1].map(() => asked[0]!.body.sequence));
      expect(useScene.getState().pending).toHaveLength(1);
    });

    it('is not tried while it is dragged', () => {
      live.preview(large(2));
      live.preview(riders(3));
      vi.advanceTimersByTime(20);
      expect(socket.sent.filter((message) => message.kind === 'preview').map((message) => message.ops)).toEqual([riders(3)]);
      expect(shown()).toBe(3);
    });
  });

  it('goes on after a preview that was refused', () => {
    live.preview(riders(-1));
    live.preview(riders(3));
    socket.says({ kind: 'refused', sequence: null, message: 'riders is -1', later: false });
    expect(socket.sent.at(-1)).toMatchObject({ kind: 'preview', ops: riders(3) });
  });

  it('never uses a number twice, even after a reload with a clock that went back', () => {
    live.edit('a', riders(1));
    vi.setSystemTime(new Date('2001-01-01'));
    live.edit('b', riders(2));
    live.undo();
    live.redo();
    const found = useScene.getState().pending.map((edit) => edit.sequence);
    expect(found).toHaveLength(4);
    expect([...found].sort((a, b) => a - b)).toEqual(found);
    expect(new Set(found).size).toBe(4);
  });
});
