import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, handoffAddress, Refused } from './client';

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
    expect(handoffAddress('s', { from: 1, to: 97, step: 1, tolerance: 0.001, form: 'glb' }, true)).toBe('/api/scenes/s/handoff/file?from=1&to=97&step=1&tolerance=0.001&form=glb');
    expect(handoffAddress('s', { node: 'out 2', from: 0, to: 9, step: 0.5, tolerance: undefined }, false)).toBe('/api/scenes/s/handoff?node=out+2&from=0&to=9&step=0.5');
  });
});
