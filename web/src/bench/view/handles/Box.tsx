import { Vector3 } from 'three';
import { useScene } from '../../../scene/store';
import type { Stage } from '../scene3d/stage';
import { isVisible } from '../visible';

/** A rectangle in pixels of the panel. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The rubber band. */
export function Box({ rect }: { rect: Rect }) {
  return <div className="rubber" aria-hidden="true" style={{ left: rect.x, top: rect.y, width: rect.width, height: rect.height }} />;
}

/** What lies in the band: points of the selected path, or else of the only path with some, or else whole nodes. */
export function boxed(stage: Stage, rect: Rect): { node: string | null; points: string[]; nodes: string[] } {
  const { paths, selected, ends, document } = useScene.getState();
  const inside = (at: Vector3 | null): boolean => {
    const screen = at && stage.eye.toScreen(at);
    return !!screen && screen.x >= rect.x && screen.x <= rect.x + rect.width && screen.y >= rect.y && screen.y <= rect.y + rect.height;
  };
  const found = new Map<string, string[]>();
  for (const [node, path] of Object.entries(paths)) {
    if (!document || !isVisible(document, node)) continue;
    const points = path.header.joints.filter((joint) => inside(new Vector3(...joint.at))).map((joint) => joint.id);
    if (points.length > 0) found.set(node, points);
  }
  const own = selected ? found.get(selected) : undefined;
  const [first] = found;
  if (selected && own) return { node: selected, points: own, nodes: [] };
  if (first && found.size === 1) return { node: first[0], points: first[1], nodes: [] };
  const things = ends.filter((end) => Array.from({ length: Math.min(end.things, 1000) }, (_, object) => object).some((object) => inside(stage.thingAt(end.node, object)))).map((end) => end.node);
  return { node: null, points: [], nodes: [...new Set([...found.keys(), ...things])] };
}
