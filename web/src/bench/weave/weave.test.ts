import { describe, expect, it } from 'vitest';
import type { NodeSchema, Scene } from '../../api/types';
import { addition, tidied } from './Weave';

const schemas = [
  { name: 'drawn-path', title: 'Drawn path', inputs: [], output: 'path' },
  { name: 'ride', title: 'Ride', inputs: [{ name: 'path', kind: 'path', help: '' }], output: 'motion' },
] as unknown as NodeSchema[];

const scene = {
  nodes: { a: { type: 'drawn-path', name: 'Drawn path', at: [24, 40] }, b: { type: 'ride', name: 'Ride', at: [24, 170] }, c: { type: 'ride', name: 'Ride 2', at: [0, 0] } },
  threads: { t: { from: 'a', to: 'b', port: 'path' }, u: { from: 'a', to: 'c', port: 'path' } },
} as unknown as Scene;

describe('the Weave', () => {
  it('threads a new node to the selected one where that fits', () => {
    const ops = addition(scene, schemas, schemas[1]!, 'new', 'a');
    expect(ops).toHaveLength(2);
    expect(ops[1]).toMatchObject({ op: 'put', value: { from: 'a', to: 'new', port: 'path' } });
    expect(addition(scene, schemas, schemas[1]!, 'new', 'b')).toHaveLength(1);
  });

  it('gives new nodes names of their own', () => {
    expect(addition(scene, schemas, schemas[1]!, 'new', null)[0]).toMatchObject({ value: { name: 'Ride 3' } });
  });

  it('tidies without laying two slips on one place, givers above takers', () => {
    const places = tidied(scene);
    expect(new Set(Object.values(places).map(String)).size).toBe(3);
    expect(places['a']![1]).toBeLessThan(places['b']![1]);
    expect(places['b']![1]).toBe(places['c']![1]);
  });
});
