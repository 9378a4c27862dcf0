import type { PosesHeader } from '../../api/blocks';

type Column = PosesHeader['columns'][number]['name'];

/** Poses of one motion as they come, frame after frame, thing after thing; of very many only those round the frame on screen. */
export interface Poses {
  node: string;
  things: number;
  frames: number;
  /** Numbers per thing and frame, without its form. */
  floats: number;
  /** Numbers of all things at a frame, with their forms. */
  row: number;
  /** Numbers of the form of a thing, by its kind, and where those of each thing begin among the numbers of a frame. */
  forms: number[];
  begins: Int32Array | null;
  /** Where a column begins among the numbers of a thing; those that are left out are as they always are. */
  offsets: Partial<Record<Column, number>>;
  columns: PosesHeader['columns'];
  /** Rows of all things, one for each frame that may be here. */
  numbers: Float32Array;
  /** How many rows there are, also where none of them has a number. */
  room: number;
  /** The row of each frame, -1 where it is not here. */
  rows: Int32Array;
  /** The frames that may be here: so many from one on, round the loop. */
  keeps: PosesHeader['keeps'];
  /** Rows that no frame has. */
  free: number[];
  /** Counts the frames that have come, and says of each which it was; 0 for none. */
  times: Uint32Array;
  came: number;
}

/** Poses of which nothing has come yet. */
export function roomFor({ node, things, frames, columns, forms, row }: PosesHeader): Poses {
  const offsets: Poses['offsets'] = {};
  let floats = 0;
  for (const { name, width } of columns) {
    offsets[name] = floats;
    floats += width;
  }
  return { node, things, frames, floats, row, forms, begins: null, offsets, columns, numbers: new Float32Array(0), room: 0, rows: new Int32Array(frames).fill(-1), keeps: { from: 0, count: 0 }, free: [], times: new Uint32Array(frames), came: 0 };
}

/** True where a block is a part of these poses. */
export const belongs = (poses: Poses, header: PosesHeader): boolean =>
  poses.things === header.things && poses.frames === header.frames && poses.row === header.row && JSON.stringify([poses.columns, poses.forms]) === JSON.stringify([header.columns, header.forms]);

/** Puts a block in its place, after dropping what it says is not kept. */
export function take(poses: Poses, { from, count, keeps }: PosesHeader, numbers: Float32Array): void {
  const { row } = poses;
  poses.keeps = keeps;
  for (let frame = 0; frame < poses.frames; frame += 1) {
    const known = poses.rows[frame] ?? -1;
    if (known < 0 || (frame + poses.frames - keeps.from) % poses.frames < keeps.count) continue;
    poses.rows[frame] = -1;
    poses.free.push(known);
  }
  if (poses.room !== keeps.count) resize(poses, keeps.count);
  for (let i = 0; i < count; i += 1) {
    const known = poses.rows[from + i] ?? -1;
    const place = known >= 0 ? known : poses.free.pop();
    // The server keeps to what it says: a frame that is not among those that are kept has no place.
    if (place === undefined) return;
    poses.rows[from + i] = place;
    poses.times[from + i] = (poses.came += 1);
    poses.numbers.set(numbers.subarray(i * row, (i + 1) * row), place * row);
  }
}

/** Gives room for more frames or fewer, those that are here among them. */
function resize(poses: Poses, room: number): void {
  const { row } = poses;
  const numbers = new Float32Array(room * row);
  let next = 0;
  for (let frame = 0; frame < poses.frames; frame += 1) {
    const known = poses.rows[frame] ?? -1;
    if (known < 0) continue;
    numbers.set(poses.numbers.subarray(known * row, (known + 1) * row), next * row);
    poses.rows[frame] = next;
    next += 1;
  }
  poses.numbers = numbers;
  poses.room = room;
  poses.free = Array.from({ length: room - next }, (_, i) => room - 1 - i);
}

/** A copy that stays as it is. */
export const frozen = (poses: Poses): Poses => ({ ...poses, numbers: poses.numbers.slice(), rows: poses.rows.slice(), free: [...poses.free], times: poses.times.slice() });

/** True where a whole frame is here. */
export const isHere = (poses: Poses, frame: number): boolean => (poses.rows[frame] ?? -1) >= 0;

/** The first frame that is here, or the first of all. */
export const firstHere = (poses: Poses): number => Math.max(0, poses.rows.findIndex((row) => row >= 0));

/** True where only a part of the frames may be here, and a frame is not or is too near the end of this part. */
export function strays(poses: Poses, frame: number): boolean {
  const { keeps, frames } = poses;
  if (keeps.count >= frames) return false;
  const now = Math.min(Math.floor(frame), frames - 1);
  const ahead = keeps.count - ((now + frames - keeps.from) % frames);
  return !isHere(poses, now) || ahead < Math.ceil(keeps.count / 4);
}

/** Where the numbers of a column begin for a thing at a whole frame, or nothing where it is left out or the frame is not here. */
export function startOf(poses: Poses, column: Column, frame: number, object: number): number | null {
  const [offset, row] = [poses.offsets[column], poses.rows[frame] ?? -1];
  return offset === undefined || row < 0 ? null : row * poses.row + object * poses.floats + offset;
}

/** A column of one number for a thing at a whole frame, or what it is where the column is left out. */
export function numberOf(poses: Poses, column: Column, frame: number, object: number, otherwise: number): number {
  const start = startOf(poses, column, frame, object);
  return start === null ? otherwise : (poses.numbers[start] ?? otherwise);
}

/** Where the numbers of a thing's form begin at a whole frame, or nothing where it has none or the frame is not here. */
export function formOf(poses: Poses, frame: number, object: number): number | null {
  const row = poses.rows[frame] ?? -1;
  const width = (of: number): number => poses.forms[numberOf(poses, 'kind', frame, of, 0)] ?? 0;
  if (row < 0 || width(object) === 0) return null;
  if (!poses.begins) {
    // Of which kind a thing is never changes.
    let next = poses.things * poses.floats;
    poses.begins = Int32Array.from({ length: poses.things }, (_, of) => (next += width(of)) - width(of));
  }
  return row * poses.row + (poses.begins[object] ?? 0);
}

/** True where a thing is there at a whole frame that has come. */
export const isThere = (poses: Poses, frame: number, object: number): boolean => numberOf(poses, 'presence', frame, object, 1) !== 0;

/** The factor along one of a thing's own axes, 0 for x, at a whole frame; 0 where it is not there. */
export function scaleAlong(poses: Poses, axis: 0 | 1 | 2, frame: number, object: number): number {
  if (!isThere(poses, frame, object)) return 0;
  const start = startOf(poses, 'scale', frame, object);
  return start === null ? 1 : (poses.numbers[start + axis] ?? 1);
}
