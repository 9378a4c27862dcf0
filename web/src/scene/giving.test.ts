import { describe, expect, it } from 'vitest';
import type { NodeSchema, Param, Scene } from '../api/types';
import { giver, threading } from '../bench/weave/work';
import { applied } from './edits';
import { give, giveKeys } from './giving';
import { keysOf, valueAtFrame } from './keyed';

const size = { name: 'size', label: 'size', group: 'form', help: '', drives: 'over-time', values: { kind: 'number', unit: 'metres', default: 1, min: 0, max: 10 } } as unknown as Param;
const schemas = [
  { name: 'ball', title: 'Ball', group: 'Surfaces', help: '', inputs: [], output: 'surface', params: [size] },
  { name: 'keys', title: 'Keys', group: 'Signals', help: '', inputs: [], output: 'signal', params: [] },
] as unknown as NodeSchema[];
const keys = [
  { id: 'a', frame: 0, value: 1, after: [5, 2] },
  { id: 'b', frame: 30, value: 4 },
];
const drawn = { frames: 24, nodes: { ball: { type: 'ball', name: 'Ball', params: { size: { keys, beyond: 'turns back' } } } } } as unknown as Scene;
const number = { node: 'ball', port: 'size' };
const curve = (scene: Scene, of: { node: string; port: string }) => Array.from({ length: 40 }, (_, frame) => valueAtFrame(keysOf(scene, of)!, scene.frames, frame + 0.5));

describe('keys of a number', () => {
  it('go over into a node of keys that is made for it, and back, as they are', () => {
    const before = curve(drawn, number);
    const [schema] = schemas.filter((schema) => schema.name === 'keys');
    const threaded = applied(drawn, [...giver(drawn, schema!, 'k', number, { value: 2, frame: 7 }), ...threading(drawn, schemas, 'k', 'ball', 'size')]);
    expect(keysOf(threaded, { node: 'k', port: '' })).toEqual(keysOf(drawn, number));
    const back = applied(threaded, giveKeys(threaded, number, size, 12, 3));
    expect(keysOf(back, number)?.beyond).toBe('turns back');
    expect(keysOf(back, number)?.keys.map((key) => key.frame)).toEqual([0, 12, 30]);
    curve(back, number).forEach((value, frame) => expect(value).toBeCloseTo(before[frame]!, 9));
    // The node keeps its own.
    expect(keysOf(back, { node: 'k', port: '' })?.keys).toHaveLength(2);
  });

  it('begin with the value at the playhead where there were none', () => {
    const plain = applied(drawn, give(drawn, number, size, 3));
    const keyed = applied(plain, giveKeys(plain, number, size, 7, 3));
    expect(keysOf(keyed, number)?.keys).toMatchObject([{ frame: 7, value: 3 }]);
  });
});
