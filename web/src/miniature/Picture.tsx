import { useEffect, useRef } from 'react';
import type { LivingMiniature, Miniature } from '../api/types';
import { night } from '../theme/tokens';
import { fitted, places, type Fit } from './project';
import { penOf } from '../pen';

function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D | null {
  const scale = window.devicePixelRatio || 1;
  canvas.width = width * scale;
  canvas.height = height * scale;
  const pen = penOf(canvas);
  pen?.scale(scale, scale);
  return pen;
}

function lines(pen: CanvasRenderingContext2D, list: readonly (readonly number[])[], flat: boolean, fit: Fit, width: number, colour: string = night.lamp): void {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.lineJoin = 'round';
  for (const points of list) {
    pen.beginPath();
    places(points, flat, fit, (x, y, i) => (i === 0 ? pen.moveTo(x, y) : pen.lineTo(x, y)));
    pen.stroke();
  }
}

function dots(pen: CanvasRenderingContext2D, points: readonly number[], flat: boolean, fit: Fit, radius: number, colour: string = night.paper): void {
  pen.fillStyle = colour;
  places(points, flat, fit, (x, y) => {
    pen.beginPath();
    pen.arc(x, y, radius, 0, 7);
    pen.fill();
  });
}

/** What a node gives, small. */
export function Picture({ miniature, flat, size }: { miniature: Miniature; flat: boolean; size: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pen = canvas.current && prepare(canvas.current, size, size);
    if (!pen) return;
    const fit = fitted([...miniature.lines, miniature.dots], flat, size, size, 7);
    lines(pen, miniature.lines, flat, fit, 1.2);
    dots(pen, miniature.dots, flat, fit, 1.9);
  }, [miniature, flat, size]);
  return <canvas ref={canvas} className="miniature" style={{ width: size, height: size }} aria-hidden="true" />;
}

/** Pictures a second of what moves. */
const RATE = 12;

/** A whole scene, small, looping; it stands still for those who want less motion. */
export function LivingPicture({ living, flat, seconds, width, height }: { living: LivingMiniature; flat: boolean; seconds: number; width: number; height: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pen = canvas.current && prepare(canvas.current, width, height);
    if (!pen) return undefined;
    const edge = living.edge.length > 0 ? [living.edge] : [];
    const fit = fitted([...living.lines, ...living.steps, ...edge], flat, width, height, 20);
    const draw = (step: number) => {
      pen.clearRect(0, 0, width, height);
      lines(pen, edge, flat, fit, 1, night.edge);
      lines(pen, living.lines, flat, fit, 1.6);
      dots(pen, living.marks, flat, fit, 2.6, night.persimmon);
      dots(pen, living.steps[step] ?? [], flat, fit, 4.2);
    };
    draw(0);
    if (window.matchMedia('(prefers-reduced-motion: reduce)').matches) return undefined;
    let request = 0;
    let drawn = 0;
    const tick = (now: number) => {
      // All of them move at the same moments: else a page of them would be put together anew at every one of the screen's.
      const moment = Math.floor((now / 1000) * RATE) / RATE;
      const step = Math.min(living.steps.length - 1, Math.floor(((moment / seconds) % 1) * living.steps.length));
      if (step !== drawn) draw(step);
      drawn = step;
      request = requestAnimationFrame(tick);
    };
    // Only what is in sight moves.
    const sight = new IntersectionObserver((entries) => {
      cancelAnimationFrame(request);
      if (entries.at(-1)?.isIntersecting) request = requestAnimationFrame(tick);
    });
    sight.observe(pen.canvas);
    return () => {
      sight.disconnect();
      cancelAnimationFrame(request);
    };
  }, [living, flat, seconds, width, height]);
  return <canvas ref={canvas} style={{ width, height }} aria-hidden="true" />;
}
