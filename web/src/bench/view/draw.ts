import type { Vector3 } from 'three';
import type { Live } from '../../api/live';
import type { Op, Scene } from '../../api/types';
import { freshId, put } from '../../scene/edits';
import { select, useScene } from '../../scene/store';
import { isDrawn, pointsOf, rounded, type PathPoint } from './geometry/path';

/** A point to be drawn: at a place, smooth or a corner, perhaps with a handle pulled out of it. */
export function newPoint(at: Vector3, kind: 'smooth' | 'corner', handle: Vector3 | null): PathPoint {
  const point: PathPoint = { id: freshId('point'), at: rounded(at) };
  if (handle) return { ...point, in: rounded(handle.clone().negate()), out: rounded(handle) };
  return kind === 'corner' ? { ...point, kind } : point;
}

/** What puts a point at the end of the path that is being drawn, and makes the path with its first point. */
export function drawing(document: Scene, node: string | null, point: PathPoint): { label: string; ops: Op[]; node: string } {
  if (isDrawn(document, node)) return { label: 'draw a point', ops: [put(['nodes', node, 'params', 'points', point.id], point)], node };
  const id = freshId('drawn-path');
  const names = new Set(Object.values(document.nodes ?? {}).map((other) => other.name));
  let name = 'Path';
  for (let number = 2; names.has(name); number += 1) name = `Path ${number}`;
  const lowest = Math.max(-90, ...Object.values(document.nodes ?? {}).map((other) => other.at?.[1] ?? 0));
  return { label: 'begin a path', ops: [put(['nodes', id], { type: 'drawn-path', name, at: [24, lowest + 130], params: { points: [point] } })], node: id };
}

/** Draws a point for good. */
export function drawPoint(live: Live, point: PathPoint): void {
  const { document, drawing: node } = useScene.getState();
  if (!document || node === null) return;
  const drawn = drawing(document, node, point);
  live.edit(drawn.label, drawn.ops);
  if (drawn.node !== node) {
    select(drawn.node);
    useScene.setState({ drawing: drawn.node });
  }
}

/** Begins to draw: on with the selected path when it is one that can be drawn on, or else a new one. */
export function beginDrawing(): void {
  const { document, selected } = useScene.getState();
  const goesOn = document && isDrawn(document, selected) && document.nodes?.[selected]?.params?.['closed'] !== true && !document.nodes?.[selected]?.locked;
  useScene.setState({ drawing: goesOn ? selected : '', points: [], point: null, picking: null });
}

export const endDrawing = (): void => useScene.setState({ drawing: null });

/** Where the last drawn point is. */
export function lastDrawn(): PathPoint | null {
  const { document, drawing: node } = useScene.getState();
  return document && node ? (pointsOf(document, node).at(-1) ?? null) : null;
}
