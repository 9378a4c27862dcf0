import { expect, it } from 'vitest';
import type { PosesHeader } from '../../api/blocks';
import { formOf, numberOf, roomFor, startOf, take } from './poses';

const of = [1, 0, 2, 1, 0];
const forms = [0, 2, 3];
const width = forms.reduce((sum, _, kind) => sum + of.filter((own) => own === kind).length * (forms[kind] ?? 0), 0);
const frames = 4;
const header = (from: number, count: number): PosesHeader => ({
  kind: 'poses',
  stamp: { revision: 1, preview: 0, compared: false },
  node: 'out',
  things: of.length,
  columns: [{ name: 'position', width: 3, type: 'f32' }, { name: 'kind', width: 1, type: 'f32' }],
  forms,
  row: 4 * of.length + width,
  frames,
  from,
  count,
  keeps: { from: 0, count: frames },
});

/** The numbers of a frame: of each thing its place and kind, then the forms, each number told by frame, thing and place in it. */
const frame = (now: number): number[] => [
  ...of.flatMap((kind, thing) => [now, thing, 0, kind]),
  ...of.flatMap((kind, thing) => Array.from({ length: forms[kind] ?? 0 }, (_, i) => 100 * now + 10 * thing + i)),
];

it('forms stand after the numbers of all things, each where its thing is in their order', () => {
  const poses = roomFor(header(0, 1));
  // Frames come in any order.
  for (const now of [2, 0, 3]) take(poses, header(now, 1), Float32Array.from(frame(now)));
  for (const now of [0, 2, 3]) {
    of.forEach((kind, thing) => {
      expect(numberOf(poses, 'kind', now, thing, -1)).toBe(kind);
      expect(poses.numbers[startOf(poses, 'position', now, thing) ?? -1]).toBe(now);
      const begins = formOf(poses, now, thing);
      const form = begins === null ? [] : [...poses.numbers.subarray(begins, begins + (forms[kind] ?? 0))];
      expect(form).toEqual(Array.from({ length: forms[kind] ?? 0 }, (_, i) => 100 * now + 10 * thing + i));
    });
  }
  expect(formOf(poses, 1, 0)).toBeNull();
});
