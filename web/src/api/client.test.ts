import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, lookAddress, Refused } from './client';

afterEach(() => vi.unstubAllGlobals());

const answer = (status: number, body: unknown) => vi.stubGlobal('fetch', vi.fn(async () => new Response(body === undefined ? null : JSON.stringify(body), { status })));

describe('asking the server', () => {
  it('gives what it answers', async () => {
    answer(200, { id: 'x' });
    expect(await api.create('Fair', 'flat')).toEqual({ id: 'x' });
    answer(204, undefined);
    expect(await api.rename('x', 'Lake')).toBeUndefined();
  });

  it('passes its sentence on when it refuses', async () => {
    answer(422, { message: 'This is not a scene file.' });
    await expect(api.bringIn('{}')).rejects.toThrow('This is not a scene file.');
    answer(500, 'nonsense');
    await expect(api.scenes('', null)).rejects.toThrow('error (500)');
  });

  it('says so when it is not there', async () => {
    vi.stubGlobal('fetch', vi.fn(async () => Promise.reject(new TypeError('network'))));
    await expect(api.scenes('', null)).rejects.toBeInstanceOf(Refused);
    await expect(api.scenes('', null)).rejects.toThrow('cannot be reached');
  });

  it('names a hand-off by its settings, without those that are left out', () => {
    expect(lookAddress('s', { from: 1, to: 97, step: 1, tolerance: 0.001, form: 'glb' })).toBe('/api/scenes/s/handoff?from=1&to=97&step=1&tolerance=0.001&form=glb');
    expect(lookAddress('s', { node: 'out 2', from: 0, to: 9, step: 0.5, tolerance: undefined })).toBe('/api/scenes/s/handoff?node=out+2&from=0&to=9&step=0.5');
  });

  it('asks for two small pictures at a time, for the rest at once, and not for those that nobody waits for', async () => {
    const asked: string[] = [];
    const answers: (() => void)[] = [];
    vi.stubGlobal('fetch', (path: string, init?: RequestInit) => {
      if (init?.signal?.aborted) return Promise.reject(new DOMException('given up', 'AbortError'));
      asked.push(path);
      return new Promise<Response>((done) => answers.push(() => done(new Response('{}'))));
    });
    const givenUp = new AbortController();
    const pictures = ['a', 'b', 'c', 'd'].map((id) => api.miniature(id, id === 'c' ? givenUp.signal : new AbortController().signal).catch(() => id));
    const made = api.create('Fair', 'flat');
    await vi.waitFor(() => expect(asked).toEqual(['/api/scenes', '/api/scenes/a/miniature', '/api/scenes/b/miniature']));
    givenUp.abort();
    answers.forEach((answer) => answer());
    await made;
    await vi.waitFor(() => expect(asked.slice(3)).toEqual(['/api/scenes/d/miniature']));
    answers[3]?.();
    expect(await Promise.all(pictures)).toEqual([{}, {}, 'c', {}]);
  });
});
