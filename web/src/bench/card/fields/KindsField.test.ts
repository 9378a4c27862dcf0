import { describe, expect, it } from 'vitest';
import { anotherKind, shareOf } from './KindsField';

describe('kinds', () => {
  it('say which part of all they are', () => {
    const list = [{ id: 'a', weight: 1 }, { id: 'b', weight: 3 }, { id: 'c', weight: 0 }];
    expect(list.map((kind) => shareOf(list, kind))).toEqual(['25 %', '75 %', '0 %']);
    expect(shareOf([{ id: 'a', weight: 0 }], { id: 'a', weight: 0 })).toBe('0 %');
    expect(shareOf([{ id: 'a' }], { id: 'a' })).toBe('100 %');
  });

  it('begin with ids and colours of their own', () => {
    const first = anotherKind([]);
    const second = anotherKind([first]);
    expect(first.id).not.toBe(second.id);
    expect(first.colour).not.toBe(second.colour);
  });
});
