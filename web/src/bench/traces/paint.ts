import { clock } from '../../scene/clock';
import type { TraceBlock } from '../../scene/store';
import type { Tokens } from '../../theme/tokens';
import { flips, told, valueAt, nearest } from './read';
import type { Window } from './settings';

/** Height of the ruler over the traces, px. */
export const RULER = 22;

export interface Painted {
  block: TraceBlock;
  /** Channels of the version that is laid beneath, if any. */
  beneath: TraceBlock | null;
  shown: number[];
  window: Window;
  frames: number;
  first: number;
  /** The frame under the pointer. */
  hover: number | null;
}

interface Row {
  top: number;
  height: number;
}

/** Draws the traces on a canvas. */
export function paint(element: HTMLCanvasElement, what: Painted, t: Tokens): void {
  const { block, beneath, shown, window: seen, frames, first, hover } = what;
  const scale = window.devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = element;
  if (element.width !== width * scale || element.height !== height * scale) {
    element.width = width * scale;
    element.height = height * scale;
  }
  const pen = element.getContext('2d');
  if (!pen || width === 0) return;
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, width, height);
  const x = (frame: number) => ((frame - seen.from) / (seen.to - seen.from)) * width;
  if (x(0) > 0) hatch(pen, 0, x(0), height, t);
  if (x(frames) < width) hatch(pen, x(frames), width, height, t);
  ruler(pen, x, seen, first, frames, width, t);
  const rowHeight = (height - RULER) / shown.length;
  shown.forEach((index, i) => {
    const channel = block.header.channels[index];
    if (!channel) return;
    const top = RULER + i * rowHeight;
    pen.strokeStyle = t.line;
    pen.lineWidth = 1;
    line(pen, 0, top, width, top);
    const row = { top: top + 4, height: rowHeight - 8 };
    const other = beneath?.header.channels.findIndex((c) => c.name === channel.name) ?? -1;
    const under = beneath && other >= 0 ? stretch(beneath, other, seen) : null;
    const over = stretch(block, index, seen);
    const y = scaleOf([over, ...(under ? [under] : [])], row);
    ribbon(pen, stretch(block, index, seen, true), mostOf(block, index), x, row, t);
    if (under) curve(pen, under, x, y, channel.unit === '°', `${t.mulberry}88`, 1.2);
    curve(pen, over, x, y, channel.unit === '°', t.ink, 1.6);
    if (channel.name === 'turn') for (const frame of flips(block)) flip(pen, x(frame), row, t);
    if (hover !== null) readOut(pen, told(valueAt(block, index, nearest(block, hover)), channel.unit), x(hover), row, width, t);
  });
  pen.setLineDash([2, 2]);
  pen.strokeStyle = t.green;
  pen.lineWidth = 1.4;
  for (const frame of [0, frames]) line(pen, x(frame), RULER - 6, x(frame), height);
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
}

interface Stretch {
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
    const sorted = Float32Array.from(block.numbers.subarray(steps * (2 + 2 * index), steps * (3 + 2 * index)), Math.abs).sort();
    most = sorted[Math.floor(0.98 * (sorted.length - 1))] ?? 0;
    known.set(index, most);
  }
  return most;
}

/** How fast the channel changes, whichever way. */
function ribbon(pen: CanvasRenderingContext2D, { frames, values }: Stretch, most: number, x: (frame: number) => number, row: Row, t: Tokens): void {
  if (most < 1e-6) return;
  const bottom = row.top + row.height + 3;
  const high = Math.min(12, row.height * 0.35);
  pen.fillStyle = `${t.mulberry}3a`;
  pen.beginPath();
  pen.moveTo(x(frames[0] ?? 0), bottom);
  values.forEach((value, i) => pen.lineTo(x(frames[i] ?? 0), bottom - high * Math.min(1, Math.abs(value) / most)));
  pen.lineTo(x(frames.at(-1) ?? 0), bottom);
  pen.fill();
}

/** Heights for values, so that all that is seen fits a row. */
function scaleOf(all: Stretch[], row: Row): (value: number) => number {
  let low = Infinity;
  let high = -Infinity;
  for (const { values } of all) {
    for (const value of values) {
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
  }
  // What hardly changes is drawn in the middle, not as noise over the whole height.
  const span = Math.max(high - low, 1e-4 * Math.max(1, Math.abs(high)));
  const middle = (low + high) / 2;
  return (value) => row.top + row.height * (0.5 - ((value - middle) / span) * 0.84);
}

function curve(pen: CanvasRenderingContext2D, { frames, values }: Stretch, x: (frame: number) => number, y: (value: number) => number, angle: boolean, colour: string, width: number): void {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.beginPath();
  values.forEach((value, i) => {
    const before = values[i - 1];
    const wraps = angle && before !== undefined && Math.abs(value - before) > 180;
    if (i === 0 || wraps) pen.moveTo(x(frames[i] ?? 0), y(value));
    else pen.lineTo(x(frames[i] ?? 0), y(value));
  });
  pen.stroke();
}

/** A crossed-out place: the thing turns about in one frame. */
function flip(pen: CanvasRenderingContext2D, x: number, row: Row, t: Tokens): void {
  const middle = row.top + 6;
  pen.strokeStyle = t.brick;
  pen.lineWidth = 1.8;
  line(pen, x - 4, middle - 4, x + 4, middle + 4);
  line(pen, x - 4, middle + 4, x + 4, middle - 4);
}

/** A value beside the pointer's line, on its own piece of paper. */
function readOut(pen: CanvasRenderingContext2D, text: string, x: number, row: Row, width: number, t: Tokens): void {
  pen.font = '12px "Atkinson Hyperlegible Mono", monospace';
  const wide = pen.measureText(text).width + 8;
  const left = x + 6 + wide > width ? x - 6 - wide : x + 6;
  pen.fillStyle = t.raised;
  pen.fillRect(left, row.top, wide, 16);
  pen.fillStyle = t.ink;
  pen.textAlign = 'left';
  pen.fillText(text, left + 4, row.top + 12);
}
