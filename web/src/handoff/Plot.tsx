import { useEffect, useRef } from 'react';
import type { Look } from '../api/types';
import { useMode } from '../theme/mode';
import { tokens, type Tokens } from '../theme/tokens';
import { penOf } from '../pen';

type Data = Look['plots'][number];

const LEFT = 64;
const BOTTOM = 22;
const TOP = 14;

/** A channel with its keys, or with `error` how far the keys miss it, against that much. */
export function Plot({ plot, error }: { plot: Data; error?: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const mode = useMode((state) => state.mode);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return undefined;
    const draw = () => paint(element, plot, error, tokens[mode]);
    draw();
    const observer = new ResizeObserver(draw);
    observer.observe(element);
    return () => observer.disconnect();
  }, [plot, error, mode]);
  const what = error === undefined ? `${plot.name} with ${plot.keys.length} keys` : `Error of ${plot.name}`;
  return <canvas ref={canvas} className={`plot ${error === undefined ? 'keyed' : 'missed'}`} role="img" aria-label={what} />;
}

function paint(element: HTMLCanvasElement, plot: Data, error: number | undefined, t: Tokens): void {
  const scale = window.devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = element;
  element.width = width * scale;
  element.height = height * scale;
  const pen = penOf(element);
  const [first, last] = [plot.frames[0] ?? 0, plot.frames.at(-1) ?? 1];
  if (!pen || width === 0 || first === last) return;
  pen.scale(scale, scale);
  pen.font = '12px "Atkinson Hyperlegible Mono", monospace';
  const misses = plot.truth.map((value, i) => Math.abs(value - (plot.keyed[i] ?? value)));
  const values = error === undefined ? plot.truth : misses;
  let [low, high] = error === undefined ? [Math.min(...values), Math.max(...values)] : [0, Math.max(error * 1.15, ...misses, 1e-5)];
  if (high - low < 1e-9) [low, high] = [low - 0.5, high + 0.5];
  const x = (frame: number) => LEFT + ((frame - first) / (last - first)) * (width - LEFT - 14);
  const y = (value: number) => height - BOTTOM - ((value - low) / (high - low)) * (height - BOTTOM - TOP);
  grid(pen, { low, high, first, last, width, x, y, frames: error === undefined }, t);
  if (error === undefined) keyed(pen, plot, x, y, t);
  else missed(pen, plot, misses, error, x, y, width, t);
}

interface Axes {
  low: number;
  high: number;
  first: number;
  last: number;
  width: number;
  frames: boolean;
  x: (frame: number) => number;
  y: (value: number) => number;
}

function grid(pen: CanvasRenderingContext2D, axes: Axes, t: Tokens): void {
  const { low, high, first, last, width, x, y } = axes;
  pen.strokeStyle = t.line;
  pen.fillStyle = t.soft;
  pen.lineWidth = 1;
  const step = nice((high - low) / (axes.frames ? 4 : 1.2));
  pen.textAlign = 'right';
  for (let value = Math.ceil(low / step) * step; value <= high + 1e-12; value += step) {
    pen.beginPath();
    pen.moveTo(LEFT, y(value));
    pen.lineTo(width - 14, y(value));
    pen.stroke();
    pen.fillText(high < 0.05 ? `${Number((value * 1000).toPrecision(3))} mm` : `${Number(value.toPrecision(4))} m`, LEFT - 8, y(value) + 4);
  }
  pen.textAlign = 'left';
  pen.fillText('frame', 8, y(low) + 17);
  pen.textAlign = 'center';
  const frames = Math.max(1, nice((last - first) / Math.max(1, width / 80)));
  for (let frame = Math.ceil(first / frames) * frames; frame <= last; frame += frames) pen.fillText(String(frame), x(frame), y(low) + 17);
}

/** 1, 2 or 5 times a power of ten. */
function nice(least: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(least, 1e-12)));
  return ([1, 2, 5, 10].find((step) => step * power >= least) ?? 10) * power;
}

function trace(pen: CanvasRenderingContext2D, plot: Data, values: readonly number[], x: Axes['x'], y: Axes['y']): void {
  pen.beginPath();
  values.forEach((value, i) => (i === 0 ? pen.moveTo(x(plot.frames[i] ?? 0), y(value)) : pen.lineTo(x(plot.frames[i] ?? 0), y(value))));
}

function keyed(pen: CanvasRenderingContext2D, plot: Data, x: Axes['x'], y: Axes['y'], t: Tokens): void {
  // The motion before reduction lies behind as a broad faint line.
  pen.strokeStyle = `${t.mulberry}40`;
  pen.lineWidth = 6;
  trace(pen, plot, plot.truth, x, y);
  pen.stroke();
  pen.strokeStyle = t.ink;
  pen.lineWidth = 1.6;
  trace(pen, plot, plot.keyed, x, y);
  pen.stroke();
  pen.lineWidth = 2;
  plot.keys.forEach((key, i) => {
    pen.beginPath();
    if (key.contact) {
      // A nick stands on the side of what was touched.
      const [before, after] = [plot.keys[i - 1] ?? key, plot.keys[i + 1] ?? key];
      const side = 2 * key.value > before.value + after.value ? -1 : 1;
      pen.strokeStyle = t.persimmon;
      pen.moveTo(x(key.frame) - 5, y(key.value) + 9 * side);
      pen.lineTo(x(key.frame), y(key.value) + side);
      pen.lineTo(x(key.frame) + 5, y(key.value) + 9 * side);
    } else {
      pen.strokeStyle = t.green;
      pen.fillStyle = t.raised;
      pen.arc(x(key.frame), y(key.value), 4.5, 0, 7);
      pen.fill();
    }
    pen.stroke();
  });
}

function missed(pen: CanvasRenderingContext2D, plot: Data, misses: number[], error: number, x: Axes['x'], y: Axes['y'], width: number, t: Tokens): void {
  pen.fillStyle = `${t.mulberry}55`;
  trace(pen, plot, misses, x, y);
  pen.lineTo(x(plot.frames.at(-1) ?? 0), y(0));
  pen.lineTo(x(plot.frames[0] ?? 0), y(0));
  pen.fill();
  pen.setLineDash([5, 4]);
  pen.strokeStyle = t.persimmon;
  pen.lineWidth = 1.4;
  pen.beginPath();
  pen.moveTo(LEFT, y(error));
  pen.lineTo(width - 14, y(error));
  pen.stroke();
}
