// @vitest-environment jsdom
import 'fake-indexeddb/auto';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Queue, type Waiting } from './queue';

const edit = (sequence: number, more: Partial<Waiting> = {}): Waiting => ({ scene: 's', client: 'me', sequence, label: 'set riders', ops: [{ op: 'put', at: ['frames'], value: sequence }], ...more });
const trouble = vi.fn();

beforeEach(() => {
  vi.stubGlobal('indexedDB', new IDBFactory());
  localStorage.clear();
  trouble.mockClear();
});

describe('edits that wait', () => {
  it('are there for the next page, in order, each scene by itself', async () => {
    const queue = new Queue(trouble);
    await Promise.all([queue.keep(edit(1)), queue.keep(edit(3)), queue.keep(edit(2, { client: 'other' })), queue.keep(edit(4, { scene: 't' }))]);
    queue.close();
    const next = new Queue(trouble);
    expect((await next.waiting('s')).map(({ client, sequence }) => `${client} ${sequence}`)).toEqual(['me 1', 'other 2', 'me 3']);
    expect(await next.waiting('t')).toEqual([edit(4, { scene: 't' })]);
  });

  it('are forgotten when they are dropped, by this page or by the next', async () => {
    const queue = new Queue(trouble);
    await queue.keep(edit(1));
    await queue.keep(edit(2));
    await queue.drop(edit(1));
    const next = new Queue(trouble);
    expect((await next.waiting('s')).map((e) => e.sequence)).toEqual([2]);
    await next.drop(edit(2));
    expect(await new Queue(trouble).waiting('s')).toEqual([]);
    expect(localStorage.length).toBe(0);
  });

  it('may be dropped before they are in the store, and stay away', async () => {
    const queue = new Queue(trouble);
    const kept = queue.keep(edit(1));
    const dropped = queue.drop(edit(1));
    await Promise.all([kept, dropped]);
    expect(await new Queue(trouble).waiting('s')).toEqual([]);
  });

  it('are noted before the store has answered, and once only', async () => {
    const queue = new Queue(trouble);
    const kept = queue.keep(edit(1));
    expect(localStorage.length).toBe(1);
    await kept;
    expect(localStorage.length).toBe(0);
    localStorage.setItem('waiting s me 1', JSON.stringify(edit(1)));
    localStorage.setItem('waiting s me 2', 'nonsense');
    expect(await new Queue(trouble).waiting('s')).toEqual([edit(1)]);
  });

  it('are said to be in danger where the browser keeps nothing', async () => {
    vi.stubGlobal('indexedDB', { open: () => { throw new Error('shut'); } });
    vi.spyOn(Storage.prototype, 'setItem').mockImplementation(() => { throw new Error('full'); });
    const queue = new Queue(trouble);
    await queue.keep(edit(1));
    expect(trouble).toHaveBeenCalledOnce();
    expect(await queue.waiting('s')).toEqual([]);
    vi.restoreAllMocks();
  });
});
