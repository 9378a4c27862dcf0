import { describe, expect, it } from 'vitest';
import type { TraceBlock } from '../../scene/store';
import { present, spanOf } from './paint';
import { ends, flips, nearest, told, valueAt } from './read';

/** Two channels over frames −2 … 10 in half steps: ten times the frame, and its negative. */
const frames = Array.from({ length: 25 }, (_, i) => -2 + i / 2);
const block = {
  header: { kind: 'traces', stamp: { revision: 0, preview: 0 }, node: 'a', object: 0, steps: 25, channels: [{ name: 'a', unit: 'm' }, { name: 'b', unit: '°' }] },
  numbers: Float32Array.from([...frames, ...frames.map((f) => 10 * f), ...frames, ...frames.map((f) => -f), ...frames]),
} as TraceBlock;

describe('reading traces', () => {
  it('finds the step of a frame, and the nearer end outside', () => {
    expect(ends(block)).toEqual([-2, 10]);
    for (const frame of [-2, 0, 3.5, 10]) expect(frames[nearest(block, frame)]).toBe(frame);
    expect(nearest(block, -50)).toBe(0);
    expect(nearest(block, 99)).toBe(24);
  });

  it('gives the value of each channel there', () => {
    expect(valueAt(block, 0, nearest(block, 3.5))).toBe(35);
    expect(valueAt(block, 1, nearest(block, 3.5))).toBe(-3.5);
  });

  it('tells values with their unit', () => {
    expect(told(6.413, 'm/s')).toBe('6.41 m/s');
    expect(told(-0.001, 'm')).toBe('0.00 m');
    expect(told(256.34, '°')).toBe('256.3°');
    expect(told(NaN, 'm')).toBe('not there');
  });

  it('is in pieces where a thing is not there, which no span counts', () => {
    const [frames, values] = [Float32Array.from([0, 1, 2, 3, 4, 5]), Float32Array.from([NaN, 4, 5, NaN, NaN, -1])];
    expect(present({ frames, values }).map(({ frames, values }) => [[...frames], [...values]])).toEqual([[[1, 2], [4, 5]], [[5], [-1]]]);
    expect(present({ frames, values: frames.map(() => NaN) })).toEqual([]);
    expect(spanOf([{ frames, values }])).toEqual({ low: -1, high: 5 });
    expect(spanOf([])).toEqual({ low: 0, high: 0 });
  });

  it('counts one flip for every stretch in which a thing turns too far in a frame, where it turns most', () => {
    const turns = [1, 95, 170, 95, 1, 1, 120, 2];
    const frames = turns.map((_, i) => i / 4);
    const block = { header: { steps: turns.length, channels: [{ name: 'turn', unit: '°/frame' }] }, numbers: Float32Array.from([...frames, ...turns, ...turns.map(() => 0)]) } as unknown as TraceBlock;
    expect(flips(block)).toEqual([0.5, 1.5]);
    expect(flips({ ...block, header: { ...block.header, channels: [{ name: 'bank', unit: '°' }] } })).toEqual([]);
  });
});
