import { describe, expect, it } from 'vitest';
import type { Contact } from '../../../api/types';
import type { Poses } from '../../../scene/taken/poses';
import type { PathBlock } from '../../../scene/store';
import { momentOf, piecesOf, placeOf, strandsAt, strandsOf, wakeOf } from './lines';

/** Two strands of 3 and 2 places, one station, and three moments 10 frames apart with 2 places a strand. */
const moments = Array.from({ length: 3 * 2 * 2 * 3 }, (_, i) => 100 + i);
const header = { strands: [{ points: 3 }, { points: 2 }], stations: 1, moments: { count: 3, points: 2, step: 10 } };
const block = { header, numbers: Float32Array.from([...Array<number>(15).fill(1), ...Array<number>(9).fill(2), ...moments]) } as unknown as PathBlock;

describe('the strands of a path', () => {
  it('are one list of pieces, with none from one strand to the next', () => {
    expect([...piecesOf([Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0), Float32Array.of(7, 7, 7), new Float32Array(), Float32Array.of(8, 0, 0, 9, 0, 0)])]).toEqual([
      0, 0, 0, 1, 0, 0, 1, 0, 0, 2, 0, 0, 8, 0, 0, 9, 0, 0,
    ]);
  });
});

describe('a path that moves', () => {
  it('is shown as at the nearest moment, and goes round at the end of the loop', () => {
    expect([0, 4, 6, 14, 24, 26, 30].map((frame) => momentOf(block, frame))).toEqual([0, 0, 1, 1, 2, 0, 0]);
    expect(strandsAt(block, 1)).toEqual(strandsOf(block));
    expect(strandsAt(block, 20).map((strand) => [...strand])).toEqual([moments.slice(24, 30), moments.slice(30, 36)]);
  });

  it('stands where it is when it does not move', () => {
    const still = { ...block, header: { ...block.header, moments: null } } as PathBlock;
    expect(strandsAt(still, 20)).toEqual(strandsOf(still));
  });
});

describe('where a thing goes', () => {
  const row = (x: number, there: number) => [x, 0, 0, there];
  const poses = { things: 1, floats: 4, row: 4, offsets: { position: 0, presence: 3 }, frames: 6, numbers: Float32Array.from([row(0, 1), row(1, 1), row(2, 0), row(9, 0), row(5, 1), row(6, 1)].flat()), rows: Int32Array.from([0, 1, 2, 3, 4, 5]) } as unknown as Poses;
  const contact = (frame: number, x: number): Contact => ({ object: 0, frame, middle: [x, 0, 0] }) as unknown as Contact;

  it('is nowhere where it is not there, or not known', () => {
    expect([0, 1, 2, 3, 4, 9].map((frame) => placeOf(poses, 0, frame)?.x ?? null)).toEqual([0, 1, null, null, 5, null]);
    expect(placeOf(poses, 1, 0)).toBeNull();
  });

  it('is in pieces where it is not there, with its place at contacts', () => {
    expect(wakeOf(poses, [contact(0.5, 0.6), contact(2.9, 77), contact(4.5, 5.5)], 0).map((piece) => [...piece].filter((_, i) => i % 3 === 0).map((x) => Number(x.toFixed(3))))).toEqual([
      [0, 0.6, 1],
      [5, 5.5, 6],
    ]);
  });
});
