import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { NodeStatus } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useLive } from '../../live';
import { pulled, type Part } from './recorded';

const WIDTH = 236;
const HEIGHT = 74;
const EDGE = 9;
const FOOT = 16;

/** How far a recording is at each moment from where its cycle begins, and the cycle between two ends that are pulled. */
export function Recorded({ id, recorded, locked }: { id: string; recorded: NonNullable<NodeStatus['recorded']>; locked: boolean }) {
  const live = useLive();
  const { seconds, apart } = recorded;
  const [part, pull] = useState<Part | null>(null);
  const [end, take] = useState<0 | 1 | null>(null);
  /** What there was before: while an end is pulled what is told is of where it is pulled to. */
  const before = useRef<Part>([0, 0]);
  const [from, to] = part ?? [recorded.from, recorded.to];
  const most = Math.max(1e-6, ...apart);
  const x = (time: number) => EDGE + (time / seconds) * (WIDTH - 2 * EDGE);
  const y = (far: number) => HEIGHT - FOOT - (far / most) * (HEIGHT - FOOT - 6);
  const line = apart.map((far, i) => `${x((seconds * i) / Math.max(1, apart.length - 1)).toFixed(1)},${y(far).toFixed(1)}`).join(' ');
  const ops = ([first, last]: Part) => [
    put(['nodes', id, 'params', 'cycle'], 'given'),
    put(['nodes', id, 'params', 'from'], first),
    put(['nodes', id, 'params', 'to'], last),
  ];
  const under = (event: PointerEvent<SVGElement>): number => {
    const svg = event.currentTarget.ownerSVGElement;
    const { x: left } = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg?.getScreenCTM()?.inverse());
    return ((left - EDGE) / (WIDTH - 2 * EDGE)) * seconds;
  };
  const grab = (which: 0 | 1) => (event: PointerEvent<SVGElement>) => {
    if (locked) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    take(which);
    before.current = [from, to];
    pull([from, to]);
  };
  const draw = (event: PointerEvent<SVGElement>) => {
    if (end === null || !part) return;
    const next = pulled(part, end, under(event), apart.length, seconds);
    pull(next);
    live.preview(ops(next));
  };
  const keep = () => {
    if (end === null) return;
    take(null);
    pull(null);
    if (part && (part[0] !== before.current[0] || part[1] !== before.current[1])) live.edit('cycle', ops(part));
    else live.endPreview();
  };
  const leave = () => {
    if (end === null) return;
    take(null);
    pull(null);
    live.endPreview();
  };
  const step = (which: 0 | 1) => (event: KeyboardEvent<SVGElement>) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by || locked) return;
    event.preventDefault();
    event.stopPropagation();
    const here: Part = [from, to];
    live.edit('cycle', ops(pulled(here, which, here[which] + (by * seconds) / Math.max(1, apart.length - 1), apart.length, seconds)));
  };
  const names = ['start of the cycle', 'end of the cycle'] as const;
  return (
    <section aria-label="Recording" className="recorded">
      <h3>Recording</h3>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="group" aria-label="how far it is from the start of its cycle, moment by moment">
        <rect className="recorded-part" x={x(from)} width={Math.max(0, x(to) - x(from))} y={0} height={HEIGHT - FOOT} />
        <line className="drawn-ground" x1={x(0)} x2={x(seconds)} y1={y(0)} y2={y(0)} />
        <polyline className="drawn-line" points={line} />
        {([from, to] as const).map((time, i) => {
          const which = i as 0 | 1;
          return (
            <g
              key={names[which]}
              className="recorded-end"
              role="slider"
              tabIndex={0}
              aria-label={names[which]}
              aria-valuenow={time}
              aria-valuemin={0}
              aria-valuemax={seconds}
              aria-valuetext={`${time.toFixed(2)} s`}
              onPointerDown={grab(which)}
              onPointerMove={draw}
              onPointerUp={keep}
              onPointerCancel={leave}
              onKeyDown={step(which)}
            >
              <rect x={x(time) - 8} width={16} y={0} height={HEIGHT} fill="transparent" />
              <line x1={x(time)} x2={x(time)} y1={2} y2={HEIGHT - FOOT + 3} />
              <path d={`M${x(time) - 5} ${HEIGHT - 2} h10 v-7 l-5 -5 l-5 5 z`} />
            </g>
          );
        })}
      </svg>
      <p className="soft">{`${seconds.toFixed(2)} s; low where it is as at the start of its cycle. Pull its ends.`}</p>
    </section>
  );
}
