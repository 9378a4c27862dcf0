import { useRef, useState, type PointerEvent } from 'react';
import { Button } from '@mui/material';
import { added, drawnAt, moved, type DrawnPoint } from './drawn';
import { NumberField } from '../fields/NumberField';
import type { ValueProps } from '../Row';

const WIDTH = 200;
const HEIGHT = 72;
const EDGE = 8;
const STEPS = 80;
/** Most points by which a number is drawn. */
const MOST = 64;

/** A number over a part from 0 to 1, drawn by points that are pulled, and typed. */
export function DrawnField(props: ValueProps & { min: number; max: number }) {
  const { param, min, max, set, show } = props;
  const kept = props.value as DrawnPoint[];
  const [chosen, choose] = useState(0);
  const [pulled, pull] = useState<DrawnPoint[] | null>(null);
  const top = useRef(0);
  /** How far the point is from where it was taken hold of. */
  const off = useRef<DrawnPoint>([0, 0]);
  /** What was there before: while it is pulled the document shows what is pulled. */
  const before = useRef('');
  const points = pulled ?? kept;
  const index = Math.min(chosen, points.length - 1);
  // While a point is pulled the scale stays as it is.
  const reach = pulled ? top.current : Math.min(max, 1.25 * Math.max(min + 1, ...kept.map((point) => point[1])));
  const x = (part: number) => EDGE + part * (WIDTH - 2 * EDGE);
  const y = (number: number) => HEIGHT - EDGE - ((number - min) / (reach - min)) * (HEIGHT - 2 * EDGE);
  const line = Array.from({ length: STEPS + 1 }, (_, i) => `${x(i / STEPS)},${y(drawnAt(points, i / STEPS))}`).join(' ');

  const under = (event: PointerEvent<SVGElement>): DrawnPoint => {
    const svg = event.currentTarget instanceof SVGSVGElement ? event.currentTarget : event.currentTarget.ownerSVGElement;
    const { x: left, y: up } = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg?.getScreenCTM()?.inverse());
    return [(left - EDGE) / (WIDTH - 2 * EDGE), min + ((HEIGHT - EDGE - up) / (HEIGHT - 2 * EDGE)) * (reach - min)];
  };
  const grab = (event: PointerEvent<SVGElement>, of: DrawnPoint[], at: number) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    top.current = reach;
    const [part, number] = under(event);
    off.current = [of[at]![0] - part, of[at]![1] - number];
    before.current = JSON.stringify(kept);
    choose(at);
    pull(of);
  };
  const draw = (event: PointerEvent<SVGElement>) => {
    if (!pulled) return;
    const [part, number] = under(event);
    const next = moved(pulled, index, part + off.current[0], number + off.current[1], [min, Math.min(max, reach)]);
    pull(next);
    show(next);
  };
  const keep = () => {
    if (!pulled) return;
    pull(null);
    if (JSON.stringify(pulled) !== before.current) set(pulled);
  };
  const place = (event: PointerEvent<SVGElement>) => {
    if (points.length >= MOST) return;
    const [part, number] = under(event);
    const more = added(points, Math.min(Math.max(part, 0), 1), Math.min(Math.max(number, min), max));
    grab(event, more.points, more.index);
  };
  const without = () => {
    if (points.length < 2) return;
    choose(Math.max(index - 1, 0));
    set(points.filter((_, i) => i !== index));
  };
  const point = points[index]!;
  const put = (part: number, number: number, how: (next: DrawnPoint[]) => void) => how(moved(points, index, part, number, [min, max]));
  return (
    <span className="drawn">
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="group" aria-label={param.label} onPointerDown={place} onPointerMove={draw} onPointerUp={keep} onPointerCancel={() => pull(null)}>
        <line className="drawn-ground" x1={x(0)} x2={x(1)} y1={y(min)} y2={y(min)} />
        {reach > min + 1 && <line className="drawn-one" x1={x(0)} x2={x(1)} y1={y(min + 1)} y2={y(min + 1)} />}
        <polyline className="drawn-line" points={line} />
        {points.map(([part, number], i) => (
          <circle
            key={i}
            className={i === index ? 'drawn-point chosen' : 'drawn-point'}
            cx={x(part)}
            cy={y(number)}
            r={5}
            tabIndex={0}
            role="button"
            aria-label={`${param.label}, point ${i + 1}`}
            aria-pressed={i === index}
            onFocus={() => choose(i)}
            onPointerDown={(event) => grab(event, points, i)}
            onKeyDown={(event) => {
              if (event.key !== 'Delete' && event.key !== 'Backspace') return;
              event.stopPropagation();
              without();
            }}
          />
        ))}
      </svg>
      <span className="drawn-numbers">
        <NumberField label={`${param.label}, place of point ${index + 1}`} value={point[0]} unit="none" min={0} max={1} onPreview={(next) => put(next, point[1], show)} onKeep={(next) => put(next, point[1], set)} />
        <NumberField label={`${param.label}, number of point ${index + 1}`} value={point[1]} unit="none" min={min} max={max} onPreview={(next) => put(point[0], next, show)} onKeep={(next) => put(point[0], next, set)} />
        <Button variant="outlined" onClick={without} disabled={points.length < 2} aria-label={`take out point ${index + 1} of ${param.label}`}>
          Take out
        </Button>
      </span>
    </span>
  );
}
