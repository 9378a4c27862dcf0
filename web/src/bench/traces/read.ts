import type { TraceBlock } from '../../scene/store';

/** The step of a block of traces that is nearest to a frame. */
export function nearest(block: TraceBlock, frame: number): number {
  const { steps } = block.header;
  const [from, to] = ends(block);
  return Math.max(0, Math.min(steps - 1, Math.round(((frame - from) / (to - from)) * (steps - 1))));
}

/** First and last frame of a block. */
export function ends(block: TraceBlock): [number, number] {
  return [block.numbers[0] ?? 0, block.numbers[block.header.steps - 1] ?? 1];
}

/** The value of channel number `index` at a step. */
export const valueAt = (block: TraceBlock, index: number, step: number): number => block.numbers[block.header.steps * (1 + 2 * index) + step] ?? 0;

/** A turn in one frame beyond this many degrees is a flip. */
const FLIP = 90;

/** Frames around which a thing flips: where it turns most, once for every stretch beyond the limit. */
export function flips(block: TraceBlock): number[] {
  const index = block.header.channels.findIndex((channel) => channel.name === 'turn');
  const found: number[] = [];
  let most = -1;
  for (let step = 0; index >= 0 && step <= block.header.steps; step += 1) {
    const value = step < block.header.steps ? valueAt(block, index, step) : 0;
    if (value > FLIP) {
      if (most < 0 || value > valueAt(block, index, most)) most = step;
    } else if (most >= 0) {
      found.push(block.numbers[most] ?? 0);
      most = -1;
    }
  }
  return found;
}

/** A value as it is read, with its unit; of a thing that is not there it is not a number. */
export function told(value: number, unit: string): string {
  if (Number.isNaN(value)) return 'not there';
  const digits = (Math.abs(value) >= 100 ? value.toFixed(1) : value.toFixed(2)).replace(/^-(0\.0+)$/, '$1');
  return unit === '°' ? `${digits}°` : `${digits} ${unit}`;
}
