import { describe, expect, it } from 'vitest';
import type { NodeSchema, Scene } from '../../api/types';
import { applied } from '../../scene/edits';
import { canShiftOne, shifting, shortest, turnedLength } from './shift';

const param = (name: string, kind: string, role: string) => ({ name, label: name, group: 'time', help: '', only_when: null, spaces: 'both', values: { kind, unit: 'laps', default: 0, min: -1000, max: 1000 }, role: { kind: role } });
const schemas = [
  { name: 'ride', inputs: [], output: 'motion', params: [param('start', 'number', 'phase'), { ...param('shifts', 'per-thing', 'shifts'), values: { kind: 'per-thing', unit: 'laps', min: -1000, max: 1000 } }] },
  { name: 'face-travel', inputs: [{ name: 'motion', kind: 'motion' }], output: 'motion', params: [] },
] as unknown as NodeSchema[];
const scene = { nodes: { ride: { type: 'ride', name: 'Ride', params: { start: 0.1, shifts: [{ id: '2', value: 0.05 }] } }, face: { type: 'face-travel', name: 'Face' } }, threads: { t: { from: 'ride', to: 'face', port: 'motion' } } } as unknown as Scene;
const withDefaults = (made: Scene) => (made.nodes!['ride']!.params!['shifts'] ?? []) as { id: string; value: number }[];
const after = (object: number, by: number, along: 'one' | 'all' | 'in order') => applied(scene, shifting(scene, schemas, 'face', object, 5, by, along));

describe('dragging ticks', () => {
  it('shifts one thing, from where it was', () => {
    expect(withDefaults(after(2, 0.1, 'one'))).toEqual([{ id: '2', value: 0.15 }]);
    expect(withDefaults(after(4, -0.2, 'one'))).toEqual([{ id: '2', value: 0.05 }, { id: '4', value: -0.2 }]);
  });

  it('shifts a thing where none was shifted before', () => {
    const bare = { ...scene, nodes: { ...scene.nodes, ride: { type: 'ride', name: 'Ride' } } } as Scene;
    expect(withDefaults(applied(bare, shifting(bare, schemas, 'face', 1, 5, 0.1, 'one')))).toEqual([{ id: '1', value: 0.1 }]);
  });

  it('forgets a shift that is back at its even place', () => {
    expect(withDefaults(after(2, -0.05, 'one'))).toEqual([]);
  });

  it('shifts all together by the phase of the first', () => {
    const all = after(3, 0.25, 'all');
    expect(all.nodes!['ride']!.params).toMatchObject({ start: 0.35, shifts: [{ id: '2', value: 0.05 }] });
  });

  it('in order lets the first stay and takes the others along in proportion', () => {
    const own = new Map(withDefaults(after(2, 0.1, 'in order')).map(({ id, value }) => [id, value]));
    expect(own.get('0')).toBeUndefined();
    expect([own.get('1'), own.get('2'), own.get('4')]).toEqual([0.05, 0.15, 0.2]);
    expect(after(0, 0.1, 'in order').nodes!['ride']!.params!['start']).toBeCloseTo(0.2, 9);
  });

  it('finds what carries the phase however far up it is', () => {
    expect(canShiftOne(scene, schemas, 'face')).toBe(true);
    expect(canShiftOne({ ...scene, threads: {} }, schemas, 'face')).toBe(false);
    expect(shifting({ ...scene, threads: {} }, schemas, 'face', 1, 5, 0.1, 'one')).toEqual([]);
  });
});

describe('dragging ticks of followers', () => {
  const laps = { ...param('laps', 'fraction', 'laps'), values: { kind: 'fraction', unit: 'laps', default: '1', min: -9, max: 9 } };
  const own = { ...param('own', 'per-thing', 'delays'), values: { kind: 'per-thing', unit: 'frames', min: -1e5, max: 1e5 } };
  const types = [{ ...schemas[0], params: [...(schemas[0]?.params ?? []), laps] }, schemas[1], { name: 'followers', inputs: [{ name: 'motion', kind: 'motion' }], output: 'motion', params: [own] }] as unknown as NodeSchema[];
  const row = { frames: 120, nodes: { ride: { type: 'ride', name: 'Ride', params: { laps: '2' } }, line: { type: 'followers', name: 'Line', params: { followers: 4 } } }, threads: { t: { from: 'ride', to: 'line', port: 'motion' } } } as unknown as Scene;
  const ownOf = (object: number, by: number, along: 'one' | 'all' | 'in order') => applied(row, shifting(row, types, 'line', object, 5, by, along)).nodes!['line']!.params!['own'];

  it('lets them be later or earlier by as many frames as that is of a lap', () => {
    // Two laps in 120 frames: a tenth of a lap are 6 frames.
    expect(ownOf(2, -0.1, 'one')).toEqual([{ id: '2', value: 6 }]);
    expect(ownOf(3, 0.05, 'one')).toEqual([{ id: '3', value: -3 }]);
    expect(ownOf(2, -0.1, 'in order')).toEqual([1, 2, 3, 4].map((rank) => ({ id: String(rank), value: 3 * rank })));
  });

  it('shifts the lead by its own place', () => {
    expect(ownOf(0, 0.1, 'one')).toBeUndefined();
    expect(applied(row, shifting(row, types, 'line', 0, 5, 0.1, 'one')).nodes!['ride']!.params!['shifts']).toEqual([{ id: '0', value: 0.1 }]);
  });
});

describe('turning', () => {
  it('goes the short way over twelve', () => {
    expect(shortest(0.95 - 0.05)).toBeCloseTo(-0.1, 12);
    expect(shortest(0.05 - 0.95)).toBeCloseTo(0.1, 12);
  });

  it('the rim once round makes the loop half as long again, and never shorter than a frame', () => {
    expect([turnedLength(120, 1), turnedLength(120, -0.5), turnedLength(120, -9), turnedLength(90000, 3)]).toEqual([180, 90, 1, 100000]);
  });
});
