import { describe, expect, it } from 'vitest';
import { Quaternion, Vector3 } from 'three';
import type { NodeSchema, Scene } from '../../../api/types';
import { applied } from '../../../scene/edits';
import { carriers, changedNodes, changedPoints, middleOf, placed, turnAbout, unchanged, type Change } from './transform';
import type { PathPoint } from './path';
import { piecesOfTrail } from '../scene3d/trail';
import { turnOf } from '../scene3d/shapes/models';
import { isVisible } from '../visible';

const param = (name: string, values: object, role?: object) => ({ name, label: name, group: 'form', help: '', only_when: null, spaces: 'both', values, role: role ?? null });
const schemas = [
  { name: 'drawn-path', title: 'Drawn path', inputs: [], output: 'path', params: [param('points', { kind: 'points' })] },
  { name: 'launch', title: 'Launch', inputs: [], output: 'motion', params: [param('start', { kind: 'vector', unit: 'metres', default: [0, 1, 0] }, { kind: 'place' }), param('velocity', { kind: 'vector', unit: 'speed', default: [3, 4, 0] }, { kind: 'aim', from: 'start' })] },
  { name: 'svg-path', title: 'SVG path', inputs: [], output: 'path', params: [param('at', { kind: 'vector', unit: 'metres', default: [0, 0, 0] }, { kind: 'place' }), param('turn', { kind: 'number', unit: 'degrees', default: 0, min: -360, max: 360 }, { kind: 'turn' }), param('scale', { kind: 'number', unit: 'metres', default: 0.01, min: 1e-6, max: 0.05 }, { kind: 'size' })] },
  { name: 'ride', title: 'Ride', inputs: [{ name: 'path', kind: 'path', help: '' }], output: 'motion', params: [] },
  { name: 'output', title: 'Output', inputs: [{ name: 'motion', kind: 'motion', help: '' }], output: null, params: [param('size', { kind: 'number', unit: 'metres', default: 0.5, min: 1e-4, max: 1e4 }, { kind: 'size' })] },
] as unknown as NodeSchema[];

const scene = {
  space: 'deep',
  nodes: {
    way: { type: 'drawn-path', name: 'Way', params: { points: [{ id: 'a', at: [1, 0, 0], out: [0, 0, 1] }, { id: 'b', at: [3, 0, 0], kind: 'corner' }] } },
    throw: { type: 'launch', name: 'Throw', params: { start: [2, 0, 0] } },
    drawing: { type: 'svg-path', name: 'Drawing' },
    ride: { type: 'ride', name: 'Ride' },
    out: { type: 'output', name: 'Out' },
  },
  threads: { t: { from: 'way', to: 'ride', port: 'path' }, u: { from: 'ride', to: 'out', port: 'motion' } },
} as unknown as Scene;

const all = ['way', 'throw', 'drawing', 'out'];
const after = (change: Change, nodes = all) => applied(scene, changedNodes(scene, nodes, schemas, change)).nodes!;

describe('moving, turning and scaling as a whole', () => {
  it('moves points and places and leaves directions and sizes alone', () => {
    const nodes = after({ ...unchanged(new Vector3()), move: new Vector3(0, 1, 2) });
    expect(nodes['way']!.params!['points']).toEqual([{ id: 'a', at: [1, 1, 2], out: [0, 0, 1] }, { id: 'b', at: [3, 1, 2], kind: 'corner' }]);
    expect(nodes['throw']!.params).toEqual({ start: [2, 1, 2] });
    expect(nodes['drawing']!.params).toEqual({ at: [0, 1, 2] });
    expect(nodes['out']!.params).toBeUndefined();
  });

  it('turns places about the pivot and directions with them', () => {
    const nodes = after(turnAbout(new Vector3(1, 0, 0), new Vector3(0, 1, 0), 90));
    const [a, b] = nodes['way']!.params!['points'] as PathPoint[];
    expect(new Vector3(...a!.at).distanceTo(new Vector3(1, 0, 0))).toBeLessThan(1e-6);
    expect(new Vector3(...a!.out!).distanceTo(new Vector3(1, 0, 0))).toBeLessThan(1e-6);
    expect(new Vector3(...b!.at).distanceTo(new Vector3(1, 0, -2))).toBeLessThan(1e-6);
    expect(new Vector3(...(nodes['throw']!.params!['velocity'] as [number, number, number])).distanceTo(new Vector3(0, 4, -3))).toBeLessThan(1e-6);
    expect(nodes['drawing']!.params!['turn']).toBe(90);
  });

  it('scales places, directions and sizes, within what each may be', () => {
    const nodes = after({ ...unchanged(new Vector3()), turn: new Quaternion(), scale: 10 });
    expect((nodes['way']!.params!['points'] as PathPoint[])[1]!.at).toEqual([30, 0, 0]);
    expect(nodes['throw']!.params!['velocity']).toEqual([30, 40, 0]);
    expect(nodes['out']!.params!['size']).toBe(5);
    expect(nodes['drawing']!.params!['scale']).toBe(0.05);
  });

  it('and back again is as it was', () => {
    const turn = turnAbout(new Vector3(1, 2, 3), new Vector3(1, 1, 0).normalize(), 70);
    const back = turnAbout(new Vector3(1, 2, 3), new Vector3(1, 1, 0).normalize(), -70);
    const at = new Vector3(-4, 0.5, 9);
    expect(placed(back, placed(turn, at)).distanceTo(at)).toBeLessThan(1e-9);
  });

  it('touches only the points that are selected', () => {
    const points: PathPoint[] = [{ id: 'a', at: [0, 0, 0] }, { id: 'b', at: [1, 0, 0] }];
    expect(changedPoints(points, { ...unchanged(new Vector3()), move: new Vector3(0, 5, 0) }, ['b'])).toEqual([points[0], { id: 'b', at: [1, 5, 0] }]);
  });

  it('of a thing moves what carries it, unless that is locked', () => {
    expect(carriers(scene, ['out'], schemas)).toEqual(['way']);
    expect(carriers(scene, ['throw', 'out'], schemas)).toEqual(['throw', 'way']);
    const locked = { ...scene, nodes: { ...scene.nodes, way: { ...scene.nodes!['way']!, locked: true } } } as Scene;
    expect(carriers(locked, ['out'], schemas)).toEqual([]);
    expect(middleOf([new Vector3(0, 0, 0), new Vector3(4, 2, -2), new Vector3(1, 1, 1)]).toArray()).toEqual([2, 1, -0.5]);
  });
});

describe('a trail', () => {
  it('is as long as it is asked for, without gaps, and no piece crosses the seam', () => {
    for (const [frame, exposure] of [[30, 8], [3, 8], [3, 300], [119.5, 0.5], [0, 12]] as const) {
      const pieces = piecesOfTrail(frame, exposure, 120, true, 500);
      expect(pieces.reduce((sum, piece) => sum + piece.to - piece.from, 0)).toBeCloseTo(exposure, 6);
      for (const { from, to } of pieces) expect(from >= -1e-9 && to <= 120 + 1e-9 && to > from).toBe(true);
      const young = pieces.map((piece) => piece.young);
      expect(young).toEqual([...young].sort((a, b) => b - a));
    }
  });

  it('of what does not go round begins where it does', () => {
    const pieces = piecesOfTrail(3, 8, 120, false, 500);
    expect(Math.min(...pieces.map((piece) => piece.from))).toBeGreaterThanOrEqual(0);
  });
});

describe('a model', () => {
  it('is turned so that its nose goes ahead and its top is up', () => {
    const names = ['+x', '-x', '+y', '-y', '+z', '-z'];
    const way = (name: string) => new Vector3(...['x', 'y', 'z'].map((axis) => (name[1] === axis ? (name[0] === '+' ? 1 : -1) : 0)));
    for (const nose of names) {
      for (const top of names.filter((name) => name[1] !== nose[1])) {
        const turn = turnOf(nose, top);
        expect(turn.determinant()).toBeCloseTo(1, 12);
        expect(way(nose).applyMatrix4(turn).distanceTo(new Vector3(1, 0, 0))).toBeLessThan(1e-12);
        expect(way(top).applyMatrix4(turn).distanceTo(new Vector3(0, 1, 0))).toBeLessThan(1e-12);
      }
    }
    expect(turnOf('+x', '-x').determinant()).toBe(1);
  });
});

describe('what is shown', () => {
  it('is what is not hidden, and only what is solo where anything is', () => {
    const marked = (marks: Record<string, object>) => ({ nodes: { a: { ...marks['a'] }, b: { ...marks['b'] } } }) as unknown as Scene;
    const seen = (scene: Scene) => ['a', 'b'].filter((node) => isVisible(scene, node));
    expect(seen(marked({}))).toEqual(['a', 'b']);
    expect(seen(marked({ a: { hidden: true } }))).toEqual(['b']);
    expect(seen(marked({ a: { solo: true } }))).toEqual(['a']);
    expect(seen(marked({ a: { solo: true, hidden: true } }))).toEqual([]);
  });
});
