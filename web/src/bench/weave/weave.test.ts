import { describe, expect, it } from 'vitest';
import type { NodeSchema, Scene } from '../../api/types';
import { applied } from '../../scene/edits';
import { foundNodes } from './AddNode';
import { laidNodes, laidThreads } from './lay';
import { addition, clipOf, copied, duplicated, feeds, freePlace, grouped, membersOf, offered, pasted, putBetween, removal, takingUp, threading } from './work';

const schemas = [
  { name: 'drawn-path', title: 'Drawn path', inputs: [], output: 'path' },
  { name: 'ride', title: 'Ride', inputs: [{ name: 'path', kind: 'path', help: '' }], output: 'motion' },
  { name: 'face-travel', title: 'Face travel', inputs: [{ name: 'motion', kind: 'motion', help: '' }], output: 'motion' },
  { name: 'output', title: 'Output', inputs: [{ name: 'motion', kind: 'motion', help: '' }], output: null },
] as unknown as NodeSchema[];
const scene = {
  nodes: {
    a: { type: 'drawn-path', name: 'Drawn path', at: [24, 40] },
    b: { type: 'ride', name: 'Ride', at: [24, 170], params: { file: 'x.svg' } },
    c: { type: 'ride', name: 'Ride 2', at: [0, 0] },
    f: { type: 'face-travel', name: 'Facing', at: [300, 0] },
    o: { type: 'output', name: 'Out', at: [24, 300] },
  },
  threads: { t: { from: 'a', to: 'b', port: 'path' }, u: { from: 'a', to: 'c', port: 'path' }, v: { from: 'b', to: 'o', port: 'motion' } },
  assets: { 'x.svg': { hash: 'h', media: 'image/svg+xml' }, 'y.svg': { hash: 'i', media: 'image/svg+xml' } },
} as unknown as Scene;

const ends = (made: Scene) => Object.values(made.threads!).map((thread) => `${thread.from} ${thread.to}`).sort();

describe('nodes to add', () => {
  it('come with those first whose name begins with what was typed', () => {
    const list = [{ title: 'Drawn path', group: 'Paths', help: 'To ride on.' }, { title: 'Ride', group: 'Travel', help: 'On a path.' }] as unknown as NodeSchema[];
    const titles = (text: string) => foundNodes(list, text).map((schema) => schema.title);
    expect(titles('rid')).toEqual(['Ride', 'Drawn path']);
    expect(titles('')).toEqual(['Drawn path', 'Ride']);
    expect(titles('path travel')).toEqual(['Ride']);
    expect(titles('nothing')).toEqual([]);
  });
});

describe('threading', () => {
  const facing = {
    name: 'face-travel',
    title: 'Face travel',
    inputs: [{ name: 'motion', kind: 'motion', help: '' }, { name: 'ground', kind: 'surface', help: '', only_when: ['up', ['surface']] }],
    params: [{ name: 'up', values: { kind: 'choice', options: ['world', 'surface'], default: 'world' } }],
    output: 'motion',
  } as unknown as NodeSchema;

  it('makes the choice under which a port is used, once', () => {
    const ops = threading(scene, [facing], 'a', 'f', 'ground');
    expect(ops.at(-1)).toMatchObject({ op: 'put', at: ['nodes', 'f', 'params', 'up'], value: 'surface' });
    expect(threading(applied(scene, ops), [facing], 'a', 'f', 'ground').filter((op) => op.at[2] === 'params')).toEqual([]);
    expect(threading(scene, [facing], 'b', 'f', 'motion')).toHaveLength(1);
  });
});

describe('adding', () => {
  it('threads a new node to the selected one where that fits', () => {
    const ops = addition(scene, schemas, schemas[1]!, 'new', 'a');
    expect(ops).toHaveLength(2);
    expect(ops[1]).toMatchObject({ op: 'put', value: { from: 'a', to: 'new', port: 'path' } });
    expect(addition(scene, schemas, schemas[1]!, 'new', 'b')).toHaveLength(1);
  });

  it('gives new nodes names of their own', () => {
    expect(addition(scene, schemas, schemas[1]!, 'new', null)[0]).toMatchObject({ value: { name: 'Ride 3' } });
  });

  it('puts a node between the ends of a thread, and nothing where it does not fit', () => {
    const made = applied(scene, putBetween(scene, schemas, 'v', 'f')!);
    expect(ends(made)).toEqual(['a b', 'a c', 'b f', 'f o']);
    expect(putBetween(scene, schemas, 't', 'f')).toBeNull();
    expect(putBetween(scene, schemas, 'v', 'b')).toBeNull();
    expect(putBetween(scene, schemas, 'v', 'o')).toBeNull();
    expect(putBetween(scene, schemas, 'gone', 'f')).toBeNull();
  });

  it('never closes a circle', () => {
    const before = applied(scene, putBetween(scene, schemas, 'v', 'f')!);
    const thread = Object.entries(before.threads!).find(([, held]) => held.from === 'b')![0];
    expect(feeds(before, 'a', 'o')).toBe(true);
    expect(putBetween(before, schemas, thread, 'f')).toBeNull();
  });

  it('offers for a loose thread what takes it up, from either end', () => {
    const names = (loose: Parameters<typeof offered>[2]) => offered(scene, schemas, loose).map((schema) => schema.name);
    expect(names({ node: 'a', port: null })).toEqual(['ride']);
    expect(names({ node: 'b', port: null })).toEqual(['face-travel', 'output']);
    expect(names({ node: 'o', port: 'motion' })).toEqual(['ride', 'face-travel']);
    expect(names({ node: 'o', port: null })).toEqual([]);
    const made = applied(scene, takingUp(scene, schemas, schemas[2]!, 'new', { node: 'o', port: 'motion' }, [1.6, 2.2]));
    expect(made.nodes!['new']!.at).toEqual([2, 2]);
    expect(ends(made)).toContain('new o');
    expect(ends(made)).not.toContain('b o');
  });
});

describe('copying', () => {
  it('takes the threads among the nodes and the files that they name', () => {
    const clip = copied(scene, ['a', 'b']);
    expect(Object.keys(clip.threads)).toEqual(['t']);
    expect(Object.keys(clip.assets)).toEqual(['x.svg']);
    expect(clipOf(JSON.stringify(clip))).toEqual(clip);
  });

  it('pastes under new ids and free names, also into another scene', () => {
    const clip = copied(scene, ['a', 'b']);
    const made = applied(scene, pasted(scene, clip).ops);
    expect(Object.keys(made.nodes!)).toHaveLength(7);
    const names = Object.values(made.nodes!).map((node) => node.name);
    expect(new Set(names).size).toBe(7);
    expect(Object.keys(made.threads!)).toHaveLength(4);
    const other = { nodes: {}, threads: {}, assets: { 'x.svg': { hash: 'other', media: 'image/svg+xml' } } } as unknown as Scene;
    const there = applied(other, pasted(other, clip).ops);
    expect(there.assets!['x-2.svg']).toEqual({ hash: 'h', media: 'image/svg+xml' });
    expect(Object.values(there.nodes!).find((node) => node.type === 'ride')!.params!['file']).toBe('x-2.svg');
  });

  it('refuses what is not from a Weave', () => {
    for (const text of ['', 'hello', '{}', '[1]', '{"zickzack":"nodes"}', '{"zickzack":"nodes","nodes":{}}', '{"zickzack":"nodes","nodes":{"a":1}}', '{"zickzack":"nodes","nodes":{"a":{"type":"ride","name":"R"}},"threads":{"t":{"from":1}}}']) {
      expect(() => clipOf(text), text).toThrow(/copied|copy/);
    }
  });

  it('duplicates with what feeds the originals', () => {
    const { ops, ids } = duplicated(scene, ['b', 'o']);
    const made = applied(scene, ops);
    expect(ids).toHaveLength(2);
    expect(ends(made)).toContain(`a ${ids[0]}`);
    expect(ends(made)).toContain(`${ids[0]} ${ids[1]}`);
  });
});

describe('groups', () => {
  it('hold nodes under a name, and let them go again', () => {
    const made = applied(scene, grouped(scene, ['a', 'b']).ops);
    const [group] = Object.keys(made.groups!);
    expect(membersOf(made, group!)).toEqual(['a', 'b']);
    const apart = applied(made, grouped(made, ['a', 'b']).ops);
    expect(apart.groups).toEqual({});
    expect(apart.nodes!['a']!.group).toBeUndefined();
    const regrouped = applied(made, grouped(made, ['a', 'b', 'c']).ops);
    expect(Object.keys(regrouped.groups!)).toHaveLength(1);
    expect(applied(made, removal(made, ['a', 'b'])).groups).toEqual({});
  });

  it('that are shut lie there as one slip at which threads end', () => {
    const open = applied(scene, grouped(scene, ['a', 'b']).ops);
    const [group] = Object.keys(open.groups!);
    const places = { dragged: {}, sizes: {} };
    expect(laidNodes(open, schemas, [], places)).toHaveLength(6);
    const shut = applied(open, [{ op: 'put', at: ['groups', group!, 'shut'], value: true }]);
    expect(laidNodes(shut, schemas, [], places).map((node) => node.id).sort()).toEqual(['c', 'f', `group ${group}`, 'o']);
    const threads = laidThreads(shut, schemas, null, null);
    expect(threads.map((thread) => thread.id).sort()).toEqual(['u', 'v']);
    expect(threads.every((thread) => thread.source === `group ${group}`)).toBe(true);
  });
});

describe('the Weave', () => {
  it('put a new slip beside one that lies there already, and find by the whole name first', () => {
    const document = { nodes: { a: { at: [24, 40] }, b: { at: [24, 170] }, c: { at: [200, 180] } } } as unknown as Scene;
    expect(freePlace(document, [24, 40 + 130])).toEqual([376, 170]);
    expect(freePlace(document, [24, 400])).toEqual([24, 400]);
    const titles = ['Torus winding', 'Torus'].map((title) => ({ title, group: 'Surfaces', help: '' }) as NodeSchema);
    expect(foundNodes(titles, 'torus')[0]?.title).toBe('Torus');
  });
});
