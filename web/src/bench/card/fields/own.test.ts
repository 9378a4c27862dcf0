// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import type { Param, Scene } from '../../../api/types';
import { listed, ranksOf } from './own';
import { sameRow } from '../Row';

const scene = (params: object, threads: object = {}) => ({ space: 'deep', frames: 48, nodes: { f: { type: 'followers', name: 'Eight', params } }, threads }) as unknown as Scene;
const plain = (id: string) => ({ id, value: 0 });

describe('what followers have of their own', () => {
  it('is listed for each that is there, and for no other', () => {
    for (const lead of [true, false]) {
      for (const followers of [0, 1, 3, 7]) {
        const own = [5, 1, 0, 12].map((id) => ({ id: String(id), value: id + 0.5 }));
        const { shown, absent } = listed(own, ranksOf(scene({ followers, lead }), 'f'), plain);
        const first = lead ? 1 : 0;
        expect(shown.map(({ id }) => Number(id))).toEqual(Array.from({ length: followers }, (_, i) => i + first));
        expect(shown.every(({ id, value }) => value === (own.find((each) => each.id === id)?.value ?? 0))).toBe(true);
        expect(absent).toBe(own.filter(({ id }) => Number(id) < first || Number(id) >= first + followers).length);
      }
    }
  });

  it('is all that is listed where it cannot be told how many there are', () => {
    const own = [{ id: '9', value: 1 }, { id: '2', value: 1 }];
    for (const document of [scene({ followers: { formula: 'frame' } }), scene({}, { t: { from: 's', to: 'f', port: 'followers' } })]) {
      expect(ranksOf(document, 'f')).toBeNull();
      expect(listed(own, ranksOf(document, 'f'), plain)).toEqual({ shown: [own[1], own[0]], absent: 0 });
    }
  });

  it('is shown anew when there are more or fewer of them', () => {
    const delays = { name: 'delays', role: { kind: 'delays' }, values: { kind: 'per-thing' } } as unknown as Param;
    const looks = { name: 'looks', values: { kind: 'looks' } } as unknown as Param;
    const size = { name: 'size', values: { kind: 'number' } } as unknown as Param;
    const [few, many] = [scene({ followers: 3 }), scene({ followers: 9 })];
    many.threads = few.threads;
    const row = (param: Param, document: Scene) => ({ nodes: ['f'], param, document });
    for (const param of [delays, looks]) expect(sameRow(row(param, few), row(param, many))).toBe(false);
    expect(sameRow(row(size, few), row(size, many))).toBe(true);
  });
});
