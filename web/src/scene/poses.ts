import type { PosesHeader } from '../api/blocks';

type Column = PosesHeader['columns'][number]['name'];

/** Poses of one motion as they come, frame after frame, thing after thing. */
export interface Poses {
  node: string;
  things: number;
  frames: number;
  /** Numbers per thing and frame. */
  floats: number;
  /** Where a column begins among the numbers of a thing; those that are left out are as they always are. */
  offsets: Partial<Record<Column, number>>;
  columns: PosesHeader['columns'];
  numbers: Float32Array;
  /** 1 for frames that have come. */
  have: Uint8Array;
}

/** Room for what a block is a part of. */
export function roomFor({ node, things, frames, columns }: PosesHeader): Poses {
  const offsets: Poses['offsets'] = {};
  let floats = 0;
  for (const { name, width } of columns) {
    offsets[name] = floats;
    floats += width;
  }
  return { node, things, frames, floats, offsets, columns, numbers: new Float32Array(frames * things * floats), have: new Uint8Array(frames) };
}

/** True where a block is a part of these poses. */
export const belongs = (poses: Poses, header: PosesHeader): boolean =>
  poses.things === header.things && poses.frames === header.frames && JSON.stringify(poses.columns) === JSON.stringify(header.columns);

/** Where the numbers of a column begin for a thing at a whole frame, or nothing where it is left out. */
export function startOf(poses: Poses, column: Column, frame: number, object: number): number | null {
  const offset = poses.offsets[column];
  return offset === undefined ? null : (frame * poses.things + object) * poses.floats + offset;
}

/** A column of one number for a thing at a whole frame, or what it is where the column is left out. */
export function numberOf(poses: Poses, column: Column, frame: number, object: number, otherwise: number): number {
  const start = startOf(poses, column, frame, object);
  return start === null ? otherwise : (poses.numbers[start] ?? otherwise);
}

/** True where a thing is there at a whole frame that has come. */
export const isThere = (poses: Poses, frame: number, object: number): boolean => numberOf(poses, 'presence', frame, object, 1) !== 0;

/** The factor along one of a thing's own axes, 0 for x, at a whole frame; 0 where it is not there. */
export function scaleAlong(poses: Poses, axis: 0 | 1 | 2, frame: number, object: number): number {
  if (!isThere(poses, frame, object)) return 0;
  const start = startOf(poses, 'scale', frame, object);
  return start === null ? 1 : (poses.numbers[start + axis] ?? 1);
}
