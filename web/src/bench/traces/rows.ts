import type { Scene } from '../../api/types';
import { keysOf, slopeAtFrame, valueAtFrame, valueOn, type Keyed, type NumberName } from '../../scene/keyed';
import type { TraceBlock } from '../../scene/store';
import { RULER, type Stretch } from './paint';
import { ends } from './read';
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

/** The curves of a row's keys. */
export interface KeyedCurve {
  value: Stretch;
  /** By second. */
  pace: Stretch;
  /** What leads to keys that lie beyond the loop, where it is not what is shown there; each on one side. */
  astray: Stretch[];
}

const curves = new WeakMap<Keyed, { frames: number; steps: number; made: KeyedCurve }>();

/** First and last frame at which there is something to see: those of the block, and with some room the keys of the rows. */
export function reach(block: TraceBlock, rows: readonly Pick<Row, 'keyed'>[]): [number, number] {
  const [from, to] = ends(block);
  const room = 0.02 * (to - from);
  const keys = rows.flatMap((row) => row.keyed?.keys ?? []);
  return keys.reduce<[number, number]>(([low, high], { frame }) => [frame < low ? Math.min(low, frame - room) : low, frame > high ? Math.max(high, frame + room) : high], [from, to]);
}

/** The curve of keys and its pace, at the frames of a block, and as far as its own keys lie beyond them. */
export function keyedCurve(keyed: Keyed, block: TraceBlock, frames: number, fps: number): KeyedCurve {
  const known = curves.get(keyed);
  if (known && known.frames === frames && known.steps === block.header.steps) return known.made;
  const own = block.numbers.subarray(0, block.header.steps);
  const [first, last] = [own[0] ?? 0, own.at(-1) ?? 0];
  const [from, to] = reach(block, [{ keyed }]);
  const step = Math.max((to - from) / MOST_BEYOND, (last - first) / Math.max(1, own.length - 1));
  const stepped = (low: number, high: number) => Float32Array.from({ length: Math.max(0, Math.ceil((high - low) / step)) + 1 }, (_, i) => Math.min(high, low + i * step));
  const at = Float32Array.from([...(from < first ? stepped(from, first - step) : []), ...own, ...(to > last ? stepped(last + step, to) : [])]);
  const ordered = keyed.keys.map((key) => key.frame);
  const sides: [number, number][] = [
    [Math.min(...ordered), 0],
    [frames, Math.max(...ordered)],
  ];
  const astray = (keyed.beyond ?? 'with the loop') === 'with the loop' ? sides.filter(([low, high]) => high > low).map(([low, high]) => stepped(low, high)) : [];
  const made = {
    value: { frames: at, values: Float32Array.from(at, (frame) => valueAtFrame(keyed, frames, frame)) },
    pace: { frames: at, values: Float32Array.from(at, (frame) => slopeAtFrame(keyed, frames, frame) * fps) },
    astray: astray.map((frames) => ({ frames, values: frames.map((frame) => valueOn(keyed.keys, frame)) })),
  };
  curves.set(keyed, { frames, steps: block.header.steps, made });
  return made;
}

/** Steps at which keys beyond a block are drawn at most. */
const MOST_BEYOND = 4000;
