import { beforeEach, describe, expect, it } from 'vitest';
import type { PosesHeader } from '../api/blocks';
import type { EndReport, NodeStatus, Scene } from '../api/types';
import { isHere } from './taken/poses';
import { alsoSelect, poseAt, reset, select, selectAll, selectPoints, selectThing, setDocument, takeEnds, takeNodes, takePoses, useScene } from './store';

const POSE_FLOATS = 10;
const columns: PosesHeader['columns'] = [{ name: 'position', width: 3, type: 'f32' }, { name: 'orientation', width: 4, type: 'f32' }, { name: 'scale', width: 3, type: 'f32' }];
const header = (from: number, count: number, things = 2, frames = 5): PosesHeader => ({ kind: 'poses', stamp: { revision: 1, preview: 0, compared: false }, node: 'out', things, columns, forms: [], row: things * POSE_FLOATS, frames, from, count, keeps: { from: 0, count: frames } });
const numbers = (from: number, count: number, things = 2) => Float32Array.from({ length: count * things * POSE_FLOATS }, (_, i) => from * 1000 + i);
const end = (node: string, things = 2): EndReport => ({ node, name: node, output: true, things, offers: [], contacts: [], kinds: [], contact_count: 0, on_path: true, phases: [], density: [], seam: { position: 0, velocity: 0, orientation: 0, spin: 0, worst: {}, closes: true, leaps: [], leap_count: 0, flips: 0, trading: 0, uncertain: [] } });
const status = (miniature?: NodeStatus['miniature'], state = 'worked'): NodeStatus => ({ state, messages: [], facts: [], mends: [], marks: [], alike: {}, names: {}, millis: 0, miniature });
const document = (...ids: string[]) => ({ name: 'S', nodes: Object.fromEntries(ids.map((id) => [id, { type: 'output', name: id }])) }) as unknown as Scene;

beforeEach(() => reset());

describe('poses', () => {
  it('come in blocks, in any order, and are there once their block is', () => {
    takePoses(header(3, 2), numbers(3, 2));
    expect(poseAt('out', 1, 0)).toBeNull();
    expect(poseAt('out', 0, 3)?.[0]).toBe(3000);
    takePoses(header(0, 3), numbers(0, 3));
    expect(poseAt('out', 1, 0)).toEqual(Array.from({ length: 8 }, (_, i) => 10 + i));
    expect(poseAt('out', 0, 4)?.[0]).toBe(3020);
    expect(poseAt('out', 2, 0)).toBeNull();
  });

  it('of no things are there as well', () => {
    takePoses(header(0, 5, 0), new Float32Array(0));
    const poses = useScene.getState().poses['out'];
    for (const frame of [0, 1, 4]) expect(poses && isHere(poses, frame)).toBe(true);
    expect(poseAt('out', 0, 0)).toBeNull();
  });

  it('take no more than the frames that are kept, in whatever order these come and go', () => {
    // Any numbers would do; these come round soon.
    let chance = 7;
    const below = (most: number) => (chance = (chance * 1103515245 + 12345) % 2 ** 31) % most;
    const frames = 40;
    const held = new Map<number, number>();
    for (let step = 0; step < 400; step += 1) {
      const keeps = { from: below(frames), count: 1 + below(step % 50 === 0 ? frames : 12) };
      const inside = (frame: number) => (frame + frames - keeps.from) % frames < keeps.count;
      const from = (keeps.from + below(keeps.count)) % frames;
      let count = 1;
      while (from + count < frames && inside(from + count) && below(4) > 0) count += 1;
      takePoses({ ...header(from, count, 2, frames), keeps }, numbers(from + step, count));
      for (const frame of [...held.keys()]) if (!inside(frame)) held.delete(frame);
      for (let i = 0; i < count; i += 1) held.set(from + i, (from + step) * 1000 + i * 2 * POSE_FLOATS);
      const poses = useScene.getState().poses['out'];
      expect(poses?.numbers.length).toBe(keeps.count * 2 * POSE_FLOATS);
      for (let frame = 0; frame < frames; frame += 1) expect(poseAt('out', 0, frame)?.[0]).toBe(held.get(frame));
    }
  });

  it('of another number of things or frames begin anew', () => {
    takePoses(header(0, 5), numbers(0, 5));
    takePoses(header(0, 1, 3), numbers(0, 1, 3));
    expect(poseAt('out', 0, 1)).toBeNull();
    expect(poseAt('out', 2, 0)).not.toBeNull();
  });
});

describe('a version that is laid beneath', () => {
  it('takes its own blocks and leaves the scene alone', () => {
    useScene.setState({ compared: { id: 'v', name: 'Then', paths: {}, poses: {}, traces: null } });
    takePoses({ ...header(0, 5), stamp: { revision: 1, preview: 0, compared: true } }, numbers(0, 5));
    expect(useScene.getState().poses).toEqual({});
    expect(useScene.getState().compared?.poses['out']?.rows).toEqual(Int32Array.from([0, 1, 2, 3, 4]));
    useScene.setState({ compared: null });
    takePoses({ ...header(0, 5), stamp: { revision: 1, preview: 0, compared: true } }, numbers(0, 5));
    expect(useScene.getState()).toMatchObject({ compared: null, poses: {} });
  });
});

describe('nodes and ends', () => {
  it('keep a picture that did not change, and drop that of a node that fails', () => {
    const picture = { lines: [[0, 0, 0]], dots: [] };
    takeNodes({ a: status(picture) });
    takeNodes({ a: status() });
    expect(useScene.getState().nodes['a']?.miniature).toBe(picture);
    takeNodes({ a: status(undefined, 'error') });
    expect(useScene.getState().nodes['a']?.miniature).toBeUndefined();
  });

  it('forget poses of what is gone and look at something that is there', () => {
    takePoses(header(0, 5), numbers(0, 5));
    takeEnds([end('out'), end('other')]);
    expect(useScene.getState().thing).toEqual({ node: 'out', object: 0 });
    selectThing('out', 1);
    takeEnds([end('out', 1)]);
    expect(useScene.getState().thing).toEqual({ node: 'out', object: 0 });
    takeEnds([end('other')]);
    expect(useScene.getState().poses).toEqual({});
    expect(useScene.getState().thing?.node).toBe('other');
    takeEnds([]);
    expect(useScene.getState()).toMatchObject({ thing: null, traces: null, endsKnown: true });
  });
});

describe('the selection', () => {
  it('is lost with its node and closes the Seam report when it changes', () => {
    setDocument({ base: document('a', 'b') });
    useScene.setState({ aside: 'seam' });
    select('a');
    expect(useScene.getState()).toMatchObject({ selected: 'a', aside: null });
    setDocument({ base: document('b') });
    expect(useScene.getState().selected).toBeNull();
  });

  it('of several nodes keeps those that are still there, the last one in the Card', () => {
    setDocument({ base: document('a', 'b', 'c') });
    selectAll(['a', 'b']);
    alsoSelect('c');
    alsoSelect('a');
    expect(useScene.getState()).toMatchObject({ chosen: ['b', 'c'], selected: 'c' });
    setDocument({ base: document('a', 'b') });
    expect(useScene.getState()).toMatchObject({ chosen: ['b'], selected: 'b' });
  });

  it('of points grows and shrinks, and begins anew on another path', () => {
    setDocument({ base: document('a', 'b') });
    selectPoints('a', ['p']);
    selectPoints('a', ['q', 'r'], true);
    selectPoints('a', ['q'], true);
    expect(useScene.getState()).toMatchObject({ points: ['p', 'r'], point: 'r', selected: 'a' });
    selectPoints('b', ['p'], true);
    expect(useScene.getState()).toMatchObject({ points: ['p'], selected: 'b' });
    select('b');
    expect(useScene.getState()).toMatchObject({ points: [], point: null });
  });

  it('of an end looks at the thing that was looked at there', () => {
    setDocument({ base: document('a', 'b') });
    takeEnds([end('a'), end('b')]);
    selectThing('b', 1);
    select('b');
    expect(useScene.getState().thing).toEqual({ node: 'b', object: 1 });
    select('a');
    expect(useScene.getState().thing).toEqual({ node: 'a', object: 0 });
  });
});
