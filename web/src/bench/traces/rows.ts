import type { Scene } from '../../api/types';
import { keysOf, valueAtFrame, slopeOn, type Keyed, type NumberName } from '../../scene/keyed';
import type { TraceBlock } from '../../scene/store';
import { RULER, type Stretch } from './paint';
import { shownChannels } from './settings';

/** One channel as it is drawn. */
export interface Row {
  block: TraceBlock;
  index: number;
  name: string;
  unit: string;
  /** The number that it is, where it is one of a node's. */
  number: NumberName | null;
  /** Its keys, where it has some that can be taken hold of. */
  keyed: Keyed | null;
  /** px from the top of the canvas. */
  top: number;
  height: number;
}

/** How much more room a channel with keys has. */
const KEYED = 2.6;
/** What is drawn of a thing beside keys. */
const BESIDE_KEYS = ['speed'];

/** The channels that are drawn, in order: what changes in the selected node's numbers, then those of the thing. */
export function rowsOf(document: Scene, signals: TraceBlock | null, traces: TraceBlock | null, chosen: readonly string[] | undefined): Omit<Row, 'top' | 'height'>[] {
  const numbers = (signals?.header.channels ?? []).map((channel, index) => {
    const number = { node: signals?.header.node ?? '', port: channel.port ?? '' };
    return { block: signals as TraceBlock, index, name: channel.name, unit: channel.unit, number, keyed: keysOf(document, number) };
  });
  // A signal stands by itself: what some thing does is not about it.
  if (numbers.some((row) => row.number.port === '')) return numbers;
  // Beside keys there is room for the speed that comes of them; more is drawn when it is asked for.
  const asked = chosen ?? (numbers.some((row) => row.keyed) ? BESIDE_KEYS : undefined);
  const of = traces ? shownChannels(traces.header.channels.map((channel) => channel.name), asked) : [];
  const things = of.map((index) => {
    const channel = traces?.header.channels[index];
    return { block: traces as TraceBlock, index, name: channel?.name ?? '', unit: channel?.unit ?? '', number: null, keyed: null };
  });
  return [...numbers, ...things];
}

/** The rows one under the other in a canvas of this height. */
export function laidRows(rows: readonly Omit<Row, 'top' | 'height'>[], height: number): Row[] {
  const weight = (row: Omit<Row, 'top' | 'height'>) => (row.keyed ? KEYED : 1);
  const all = rows.reduce((sum, row) => sum + weight(row), 0);
  let top = RULER;
  return rows.map((row) => {
    const own = ((height - RULER) * weight(row)) / all;
    top += own;
    return { ...row, top: top - own, height: own };
  });
}

const curves = new WeakMap<Keyed, { frames: number; value: Stretch; pace: Stretch }>();

/** The curve of keys and its pace by second, at the frames of a block; beyond the loop as it goes on. */
export function keyedCurve(keyed: Keyed, block: TraceBlock, frames: number, fps: number): { value: Stretch; pace: Stretch } {
  const known = curves.get(keyed);
  if (known && known.frames === frames && known.value.frames.length === block.header.steps) return known;
  const at = block.numbers.subarray(0, block.header.steps);
  const wrapped = (frame: number) => (frame < 0 || frame > frames ? frame - Math.floor(frame / frames) * frames : frame);
  const values = Float32Array.from(at, (frame) => valueAtFrame(keyed, frames, wrapped(frame)));
  const paces = Float32Array.from(at, (frame) => slopeOn(keyed.keys, wrapped(frame)) * fps);
  const made = { frames, value: { frames: at, values }, pace: { frames: at, values: paces } };
  curves.set(keyed, made);
  return made;
}
