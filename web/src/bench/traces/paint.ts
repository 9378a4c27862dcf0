import { clock } from '../../scene/clock';
import { handleOf, valueAtFrame, type Key, type NumberName } from '../../scene/keyed';
import type { TraceBlock } from '../../scene/store';
import type { Tokens } from '../../theme/tokens';
import { flips, told, valueAt, nearest } from './read';
import { keyedCurve, type Row } from './rows';
import type { Window } from './settings';
import { penOf } from '../../pen';
import { thinned } from './thin';

/** Height of the ruler over the traces, px. */
export const RULER = 22;

export interface Painted {
  rows: readonly Row[];
  /** Channels of the version that is laid beneath, if any. */
  beneath: TraceBlock | null;
  window: Window;
  frames: number;
  fps: number;
  first: number;
  /** The frame under the pointer. */
  hover: number | null;
  /** Selected keys. */
  selected: { node: string; port: string; ids: string[] } | null;
  /** The number whose keys are dragged, and what it is drawn for: then its scale stands still. */
  held: { number: NumberName; span: Span } | null;
  /** A box that keys are selected with, px. */
  box: [number, number, number, number] | null;
  /** Frames at which one shot cuts to another. */
  cuts: readonly number[];
}

/** Least and largest value of a row as it is drawn. */
export interface Span {
  low: number;
  high: number;
}

interface Box {
  top: number;
  height: number;
}

/** Height of a ribbon of pace that can be dragged, px. */
export const RIBBON = 22;

/** The part of a row that its curve is drawn in: above the ribbon where that can be dragged. */
export const insideOf = (row: Row): Box => ({ top: row.top + 4, height: row.height - 8 - (row.keyed ? RIBBON : 0) });

/** Draws the traces on a canvas. */
export function paint(element: HTMLCanvasElement, what: Painted, t: Tokens): void {
  const { rows, beneath, window: seen, frames, fps, first, hover } = what;
  const scale = window.devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = element;
  if (element.width !== width * scale || element.height !== height * scale) {
    element.width = width * scale;
    element.height = height * scale;
  }
  const pen = penOf(element);
  if (!pen || width === 0 || height === 0) return;
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, width, height);
  const x = (frame: number) => ((frame - seen.from) / (seen.to - seen.from)) * width;
  if (x(0) > 0) hatch(pen, 0, x(0), height, t);
  if (x(frames) < width) hatch(pen, x(frames), width, height, t);
  ruler(pen, x, seen, first, frames, width, t);
  for (const row of rows) {
    pen.strokeStyle = t.line;
    pen.lineWidth = 1;
    line(pen, 0, row.top, width, row.top);
    const inside = insideOf(row);
    const other = row.number === null ? (beneath?.header.channels.findIndex((c) => c.name === row.name) ?? -1) : -1;
    const under = beneath && other >= 0 ? stretch(beneath, other, seen) : null;
    const over = valuesOf(row, seen, frames, fps);
    const still = what.held && row.number && what.held.number.node === row.number.node && what.held.number.port === row.number.port ? what.held.span : null;
    const span = still ?? (row.keyed ? spanOfKeys(row, what) : spanOf([over, ...(under ? [under] : [])]));
    const y = scaleOf(span, inside);
    const pace = row.keyed ? part(keyedCurve(row.keyed, row.block, frames, fps).pace, seen) : stretch(row.block, row.index, seen, true);
    ribbon(pen, pace, row.keyed ? mostPace(row, frames, fps) : mostOf(row.block, row.index), x, { bottom: row.top + row.height - 1, high: row.keyed ? RIBBON : Math.min(12, inside.height * 0.35) }, t);
    if (under) curve(pen, under, x, y, row.unit === '°', `${t.mulberry}88`, 1.2);
    curve(pen, over, x, y, row.unit === '°' && row.number === null, t.ink, 1.6);
    if (row.keyed) {
      pen.setLineDash([2, 3]);
      for (const lead of keyedCurve(row.keyed, row.block, frames, fps).astray) curve(pen, lead, x, y, false, t.soft, 1.2);
      pen.setLineDash([]);
      beads(pen, row, x, y, what, t);
    }
    if (row.name === 'turn') for (const frame of flips(row.block)) flip(pen, x(frame), inside, t);
    if (hover !== null) readOut(pen, told(valueUnder(row, hover, frames), row.unit), x(hover), inside, width, t);
  }
  pen.setLineDash([2, 2]);
  pen.strokeStyle = t.green;
  pen.lineWidth = 1.4;
  for (const frame of [0, frames]) line(pen, x(frame), RULER - 6, x(frame), height);
  pen.setLineDash([7, 3]);
  pen.strokeStyle = t.ink;
  for (const frame of what.cuts) line(pen, x(frame), RULER - 6, x(frame), height);
  pen.setLineDash([]);
  if (hover !== null) {
    pen.strokeStyle = t.soft;
    pen.lineWidth = 1;
    line(pen, x(hover), RULER, x(hover), height);
  }
  pen.strokeStyle = t.persimmon;
  pen.fillStyle = t.persimmon;
  pen.lineWidth = 1.4;
  line(pen, x(clock.frame), RULER - 6, x(clock.frame), height);
  pen.beginPath();
  pen.arc(x(clock.frame), RULER - 7, 4.5, 0, 7);
  pen.fill();
  if (what.box) {
    const [x1, y1, x2, y2] = what.box;
    pen.strokeStyle = t.mulberry;
    pen.setLineDash([4, 3]);
    pen.strokeRect(Math.min(x1, x2), Math.min(y1, y2), Math.abs(x2 - x1), Math.abs(y2 - y1));
    pen.setLineDash([]);
  }
}

/** The values of a row that are seen. */
export function valuesOf(row: Row, seen: Window, frames: number, fps: number): Stretch {
  return row.keyed ? part(keyedCurve(row.keyed, row.block, frames, fps).value, seen) : stretch(row.block, row.index, seen);
}

/** The value of a row at a frame. */
export function valueUnder(row: Row, frame: number, frames: number): number {
  return row.keyed ? valueAtFrame(row.keyed, frames, frame) : valueAt(row.block, row.index, nearest(row.block, frame));
}

/** The steps that are seen, one more on either side. */
function part({ frames, values }: Stretch, seen: Window): Stretch {
  let [from, to] = [0, frames.length];
  while (from < to && (frames[from + 1] ?? Infinity) < seen.from) from += 1;
  while (to > from && (frames[to - 2] ?? -Infinity) > seen.to) to -= 1;
  return { frames: frames.subarray(from, to), values: values.subarray(from, to) };
}

/** The largest pace of keys, by second. */
export function mostPace(row: Row, frames: number, fps: number): number {
  if (!row.keyed) return 0;
  return keyedCurve(row.keyed, row.block, frames, fps).pace.values.reduce((most, pace) => Math.max(most, Math.abs(pace)), 0);
}

/** Half the size of a key's mark, px. */
const MARK = 4;

/** Keys: a round bead, or a square one where the value is held; those selected with their handles. */
function beads(pen: CanvasRenderingContext2D, row: Row, x: (frame: number) => number, y: (value: number) => number, { selected }: Painted, t: Tokens): void {
  const keys = row.keyed?.keys ?? [];
  const ids = selected?.node === row.number?.node && selected?.port === row.number?.port ? (selected?.ids ?? []) : [];
  const chosen = keys.filter((key) => ids.includes(key.id));
  if (chosen.length > 1) {
    const [from, to] = [x(Math.min(...chosen.map((key) => key.frame))), x(Math.max(...chosen.map((key) => key.frame)))];
    pen.strokeStyle = t.mulberry;
    pen.lineWidth = 2;
    line(pen, from, row.top + GRIP / 2, to, row.top + GRIP / 2);
    for (const at of [from, to]) line(pen, at, row.top, at, row.top + GRIP);
  }
  keys.forEach((key, i) => {
    const [px, py] = [x(key.frame), y(key.value)];
    const on = ids.includes(key.id);
    if (on) {
      pen.strokeStyle = t.mulberry;
      pen.lineWidth = 1;
      for (const end of handleEnds(keys, i)) {
        const [hx, hy] = [x(end.frame), y(end.value)];
        line(pen, px, py, hx, hy);
        pen.beginPath();
        pen.arc(hx, hy, 3, 0, 7);
        pen.stroke();
      }
    }
    pen.fillStyle = on ? t.mulberry : t.raised;
    pen.strokeStyle = on ? t.mulberry : t.ink;
    pen.lineWidth = 1.6;
    pen.beginPath();
    if (key.handles === 'held') pen.rect(px - MARK, py - MARK, 2 * MARK, 2 * MARK);
    else pen.arc(px, py, MARK, 0, 7);
    pen.fill();
    pen.stroke();
  });
}

/** Height of the bar over several selected keys, px. */
export const GRIP = 8;

/** The ends of a key's handles. */
export function handleEnds(keys: readonly Key[], i: number): { after: boolean; frame: number; value: number }[] {
  const key = keys[i];
  if (!key) return [];
  const sides = [...(i > 0 && keys[i - 1]?.handles !== 'held' ? [false] : []), ...(i < keys.length - 1 && key.handles !== 'held' ? [true] : [])];
  return sides.map((after) => {
    const [frames, value] = handleOf(keys, i, after);
    return { after, frame: key.frame + frames, value: key.value + value };
  });
}

/** Pixels by which a line may miss what it shows. */
const SEEN = 0.2;

export interface Stretch {
  frames: Float32Array;
  values: Float32Array;
}

/** The steps of a channel, or of its pace, that are seen, one more on either side. */
function stretch(block: TraceBlock, index: number, seen: Window, pace = false): Stretch {
  const { steps } = block.header;
  const from = Math.max(0, nearest(block, seen.from) - 1);
  const to = Math.min(steps, nearest(block, seen.to) + 2);
  const start = steps * (1 + 2 * index + (pace ? 1 : 0));
  return { frames: block.numbers.subarray(from, to), values: block.numbers.subarray(start + from, start + to) };
}

function line(pen: CanvasRenderingContext2D, x1: number, y1: number, x2: number, y2: number): void {
  pen.beginPath();
  pen.moveTo(x1, y1);
  pen.lineTo(x2, y2);
  pen.stroke();
}

/** What lies beyond the seam. */
function hatch(pen: CanvasRenderingContext2D, from: number, to: number, height: number, t: Tokens): void {
  pen.save();
  pen.beginPath();
  pen.rect(from, RULER, to - from, height);
  pen.clip();
  pen.strokeStyle = t.line;
  pen.lineWidth = 1;
  for (let x = from - height; x < to; x += 7) line(pen, x, height, x + height, 0);
  pen.restore();
}

function ruler(pen: CanvasRenderingContext2D, x: (frame: number) => number, seen: Window, first: number, frames: number, width: number, t: Tokens): void {
  const perLabel = (seen.to - seen.from) / Math.max(1, width / 90);
  const step = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000, 20000, 50000].find((step) => step >= perLabel) ?? 100000;
  pen.fillStyle = t.soft;
  pen.strokeStyle = t.soft;
  pen.lineWidth = 1;
  pen.font = '12px "Atkinson Hyperlegible Mono", monospace';
  pen.textAlign = 'left';
  if (x(0) > 44) pen.fillText('frame', 6, 12);
  pen.textAlign = 'center';
  const [low, high] = [Math.max(0, Math.ceil(seen.from / step) * step), Math.min(frames, seen.to)];
  for (let frame = low; frame <= high; frame += step) {
    pen.fillText(String(frame + first), x(frame), 12);
    line(pen, x(frame), RULER - 5, x(frame), RULER);
  }
}

const mosts = new WeakMap<TraceBlock, Map<number, number>>();

/** The pace of a channel at which its ribbon is full: one sharp corner must not flatten all the rest. */
function mostOf(block: TraceBlock, index: number): number {
  const known = mosts.get(block) ?? new Map<number, number>();
  mosts.set(block, known);
  let most = known.get(index);
  if (most === undefined) {
    const { steps } = block.header;
    const sorted = Float32Array.from(block.numbers.subarray(steps * (2 + 2 * index), steps * (3 + 2 * index)), Math.abs).filter((pace) => !Number.isNaN(pace)).sort();
    most = sorted[Math.floor(0.98 * (sorted.length - 1))] ?? 0;
    known.set(index, most);
  }
  return most;
}

/** In pieces, each of which is there all the time. */
export function present(stretch: Stretch): Stretch[] {
  return split(stretch, (values, i) => Number.isNaN(values[i]) !== Number.isNaN(values[i - 1])).filter(({ values }) => !Number.isNaN(values[0]));
}

/** How fast the channel changes, whichever way. */
function ribbon(pen: CanvasRenderingContext2D, stretch: Stretch, most: number, x: (frame: number) => number, room: { bottom: number; high: number }, t: Tokens): void {
  for (const piece of present(stretch)) ribbonPiece(pen, piece, most, x, room, t);
}

function ribbonPiece(pen: CanvasRenderingContext2D, { frames, values }: Stretch, most: number, x: (frame: number) => number, { bottom, high }: { bottom: number; high: number }, t: Tokens): void {
  if (most < 1e-6) return;
  pen.fillStyle = `${t.mulberry}3a`;
  pen.beginPath();
  pen.moveTo(x(frames[0] ?? 0), bottom);
  const [along, up] = [Array.from(frames, x), Array.from(values, (value) => bottom - high * Math.min(1, Math.abs(value) / most))];
  for (const i of thinned(along, up, SEEN)) pen.lineTo(along[i] ?? 0, up[i] ?? 0);
  pen.lineTo(x(frames.at(-1) ?? 0), bottom);
  pen.fill();
}

/** Least and largest of all values; what hardly changes has a span of its own, so that it is no noise over the whole height. */
export function spanOf(all: readonly Stretch[]): Span {
  let low = Infinity;
  let high = -Infinity;
  for (const { values } of all) {
    for (const value of values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return low <= high ? { low, high } : { low: 0, high: 0 };
}

/** Least and largest value that a row with keys is drawn for; where it is level there is room on both sides. */
export function spanOfKeys(row: Row, { window: seen, frames, fps }: Pick<Painted, 'window' | 'frames' | 'fps'>): Span {
  const astray = row.keyed ? keyedCurve(row.keyed, row.block, frames, fps).astray.map((lead) => part(lead, seen)) : [];
  const { low, high } = spanOf([valuesOf(row, seen, frames, fps), ...astray]);
  const room = high - low > 1e-6 * Math.max(1, Math.abs(high)) ? 0 : 0.5 * Math.max(1, Math.abs(high));
  return { low: low - room, high: high + room };
}

/** Heights for values, so that a span fits a row. */
export function scaleOf({ low, high }: Span, row: Box): (value: number) => number {
  const span = Math.max(high - low, 1e-4 * Math.max(1, Math.abs(high)));
  const middle = (low + high) / 2;
  return (value) => row.top + row.height * (0.5 - ((value - middle) / span) * 0.84);
}

/** The value at a height: the other way round. */
export function valueAtHeight({ low, high }: Span, row: Box, y: number): number {
  const span = Math.max(high - low, 1e-4 * Math.max(1, Math.abs(high)));
  return (low + high) / 2 + ((0.5 - (y - row.top) / row.height) / 0.84) * span;
}

function curve(pen: CanvasRenderingContext2D, stretch: Stretch, x: (frame: number) => number, y: (value: number) => number, angle: boolean, colour: string, width: number): void {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.beginPath();
  for (const { frames, values } of present(stretch).flatMap((piece) => (angle ? unwrapped(piece) : [piece]))) {
    const [along, up] = [Array.from(frames, x), Array.from(values, y)];
    thinned(along, up, SEEN).forEach((i, k) => {
      if (k === 0) pen.moveTo(along[i] ?? 0, up[i] ?? 0);
      else pen.lineTo(along[i] ?? 0, up[i] ?? 0);
    });
  }
  pen.stroke();
}

/** In pieces, none of which goes round from 180° to −180°. */
function unwrapped(stretch: Stretch): Stretch[] {
  return split(stretch, (values, i) => Math.abs((values[i] ?? 0) - (values[i - 1] ?? 0)) > 180);
}

/** In pieces that begin where `breaks` says so of a value and the one before it. */
function split({ frames, values }: Stretch, breaks: (values: Stretch['values'], i: number) => boolean): Stretch[] {
  const pieces: Stretch[] = [];
  let from = 0;
  for (let i = 1; i <= values.length; i += 1) {
    if (i < values.length && !breaks(values, i)) continue;
    pieces.push({ frames: frames.subarray(from, i), values: values.subarray(from, i) });
    from = i;
  }
  return pieces;
}

/** A crossed-out place: the thing turns about in one frame. */
function flip(pen: CanvasRenderingContext2D, x: number, row: Box, t: Tokens): void {
  const middle = row.top + 6;
  pen.strokeStyle = t.brick;
  pen.lineWidth = 1.8;
  line(pen, x - 4, middle - 4, x + 4, middle + 4);
  line(pen, x - 4, middle + 4, x + 4, middle - 4);
}

/** A value beside the pointer's line, on its own piece of paper. */
function readOut(pen: CanvasRenderingContext2D, text: string, x: number, row: Box, width: number, t: Tokens): void {
  pen.font = '12px "Atkinson Hyperlegible Mono", monospace';
  const wide = pen.measureText(text).width + 8;
  const left = x + 6 + wide > width ? x - 6 - wide : x + 6;
  pen.fillStyle = t.raised;
  pen.fillRect(left, row.top, wide, 16);
  pen.fillStyle = t.ink;
  pen.textAlign = 'left';
  pen.fillText(text, left + 4, row.top + 12);
}
