import { useEffect, useRef, type PointerEvent } from 'react';
import { clock, useFrame } from '../../scene/clock';
import { useScene, type TraceBlock } from '../../scene/store';
import { useMode } from '../../theme/mode';
import { tokens, type Tokens } from '../../theme/tokens';
import { ends, nearest, told, valueAt } from './read';

/** Height of the ruler over the traces, px. */
const RULER = 22;
const LABELS = 128;

/** Channels of the selected thing over time, a little beyond the seam on both sides. */
export function Traces() {
  const traces = useScene((state) => state.traces);
  const frames = useScene((state) => state.document?.frames ?? 1);
  const first = useScene((state) => state.document?.first_frame ?? 0);
  const thing = useScene((state) => state.thing);
  const name = useScene((state) => (thing ? (state.document?.nodes?.[thing.node]?.name ?? '') : ''));
  const mode = useMode((state) => state.mode);
  const canvas = useRef<HTMLCanvasElement>(null);
  const held = useRef(false);
  const block = traces && thing && traces.header.node === thing.node ? traces : null;

  useEffect(() => {
    const element = canvas.current;
    if (!element || !block) return undefined;
    const draw = () => paint(element, block, frames, first, tokens[mode]);
    draw();
    const stop = clock.subscribe(draw);
    const observer = new ResizeObserver(draw);
    observer.observe(element);
    return () => {
      stop();
      observer.disconnect();
    };
  }, [block, frames, first, mode]);

  if (!block) {
    return (
      <div className="traces">
        <h2 className="panel-name">Traces</h2>
        <p className="soft empty">As soon as something moves, its position, speed and heading run here over the loop.</p>
      </div>
    );
  }
  const scrub = (event: PointerEvent<HTMLCanvasElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    clock.stop();
    clock.seek(Math.round(frameAt((event.clientX - box.left) / box.width, block)));
  };
  return (
    <div className="traces">
      <div className="trace-labels" style={{ width: LABELS }}>
        <h2 className="panel-name">Traces</h2>
        <span className="soft trace-thing">{`${name} ${(thing?.object ?? 0) + 1}`}</span>
        <Values block={block} />
      </div>
      <canvas
        ref={canvas}
        className="trace-canvas"
        role="img"
        aria-label={`Channels of ${name} over the loop`}
        onPointerDown={(event) => {
          held.current = true;
          event.currentTarget.setPointerCapture(event.pointerId);
          scrub(event);
        }}
        onPointerMove={(event) => held.current && scrub(event)}
        onPointerUp={() => (held.current = false)}
      />
    </div>
  );
}

function Values({ block }: { block: TraceBlock }) {
  const frame = useFrame();
  const { channels } = block.header;
  const step = nearest(block, frame);
  return (
    <>
      {channels.map((channel, i) => (
        <div key={channel.name} className="trace-label" style={{ top: `calc(${RULER}px + (100% - ${RULER}px) * ${i / channels.length})` }}>
          <strong>{channel.name}</strong>
          <span className="mono">{told(valueAt(block, i, step), channel.unit)}</span>
        </div>
      ))}
    </>
  );
}

function frameAt(share: number, block: TraceBlock): number {
  const [from, to] = ends(block);
  return from + share * (to - from);
}

function paint(element: HTMLCanvasElement, block: TraceBlock, frames: number, first: number, t: Tokens): void {
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
  const { steps, channels } = block.header;
  const [from, to] = ends(block);
  const x = (frame: number) => ((frame - from) / (to - from)) * width;
  hatch(pen, 0, x(0), height, t);
  hatch(pen, x(frames), width, height, t);
  ruler(pen, x, frames, first, width, t);
  const rowHeight = (height - RULER) / channels.length;
  channels.forEach((channel, i) => {
    const top = RULER + i * rowHeight;
    pen.strokeStyle = t.line;
    pen.lineWidth = 1;
    line(pen, 0, top, width, top);
    const row = { top: top + 4, height: rowHeight - 8 };
    ribbon(pen, block.numbers.subarray(steps * (2 + 2 * i), steps * (3 + 2 * i)), width, row, t);
    curve(pen, block.numbers.subarray(steps * (1 + 2 * i), steps * (2 + 2 * i)), width, row, channel.unit === '°', t);
  });
  pen.setLineDash([2, 2]);
  pen.strokeStyle = t.green;
  pen.lineWidth = 1.4;
  for (const frame of [0, frames]) line(pen, x(frame), RULER - 6, x(frame), height);
  pen.setLineDash([]);
  pen.strokeStyle = t.persimmon;
  pen.fillStyle = t.persimmon;
  line(pen, x(clock.frame), RULER - 6, x(clock.frame), height);
  pen.beginPath();
  pen.arc(x(clock.frame), RULER - 7, 4.5, 0, 7);
  pen.fill();
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

function ruler(pen: CanvasRenderingContext2D, x: (frame: number) => number, frames: number, first: number, width: number, t: Tokens): void {
  const perLabel = frames / Math.max(1, width / 90);
  const step = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000, 20000, 50000].find((step) => step >= perLabel) ?? 100000;
  pen.fillStyle = t.soft;
  pen.strokeStyle = t.soft;
  pen.font = '12px "Atkinson Hyperlegible Mono", monospace';
  pen.textAlign = 'left';
  pen.fillText('frame', 6, 12);
  pen.textAlign = 'center';
  for (let frame = 0; frame <= frames; frame += step) {
    pen.fillText(String(frame + first), x(frame), 12);
    line(pen, x(frame), RULER - 5, x(frame), RULER);
  }
}

interface Box {
  top: number;
  height: number;
}

/** How fast the channel changes, whichever way. */
function ribbon(pen: CanvasRenderingContext2D, pace: Float32Array, width: number, row: Box, t: Tokens): void {
  // One sharp corner must not flatten all the rest: the ribbon is as high as the 98th percentile.
  const sorted = Float32Array.from(pace, Math.abs).sort();
  const most = sorted[Math.floor(0.98 * (sorted.length - 1))] ?? 0;
  if (most < 1e-6) return;
  const bottom = row.top + row.height + 3;
  const high = Math.min(12, row.height * 0.35);
  pen.fillStyle = `${t.mulberry}3a`;
  pen.beginPath();
  pen.moveTo(0, bottom);
  pace.forEach((value, i) => pen.lineTo((i / (pace.length - 1)) * width, bottom - high * Math.min(1, Math.abs(value) / most)));
  pen.lineTo(width, bottom);
  pen.fill();
}

function curve(pen: CanvasRenderingContext2D, values: Float32Array, width: number, row: Box, angle: boolean, t: Tokens): void {
  let low = Infinity;
  let high = -Infinity;
  for (const value of values) {
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  // What hardly changes is drawn in the middle, not as noise over the whole height.
  const span = Math.max(high - low, 1e-4 * Math.max(1, Math.abs(high)));
  const middle = (low + high) / 2;
  const y = (value: number) => row.top + row.height * (0.5 - ((value - middle) / span) * 0.84);
  pen.strokeStyle = t.ink;
  pen.lineWidth = 1.6;
  pen.beginPath();
  values.forEach((value, i) => {
    const x = (i / (values.length - 1)) * width;
    const before = values[i - 1];
    const wraps = angle && before !== undefined && Math.abs(value - before) > 180;
    if (i === 0 || wraps) pen.moveTo(x, y(value));
    else pen.lineTo(x, y(value));
  });
  pen.stroke();
}
