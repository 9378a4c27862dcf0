import { MathUtils, Quaternion, Vector3 } from 'three';
import type { Joint } from '../../../api/blocks';
import type { NodeSchema, Op, Param, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { byFormula, valueOf } from '../../schemas';
import { rounded, type PathPoint, type Place } from './path';

/** Moved by an offset, or turned and scaled about a pivot. */
export interface Change {
  pivot: Vector3;
  move: Vector3;
  turn: Quaternion;
  scale: number;
  /** Degrees of the turn about the normal of the work plane. */
  degrees: number;
}

export const unchanged = (pivot: Vector3): Change => ({ pivot, move: new Vector3(), turn: new Quaternion(), scale: 1, degrees: 0 });

/** Where a change takes a place. */
export const placed = (change: Change, at: Vector3): Vector3 => at.clone().sub(change.pivot).applyQuaternion(change.turn).multiplyScalar(change.scale).add(change.pivot).add(change.move);

/** What a change makes of a direction with a length. */
const directed = (change: Change, way: Vector3): Vector3 => way.clone().applyQuaternion(change.turn).multiplyScalar(change.scale);

/** Points of a path after a change; handles of their own go along. */
export function changedPoints(points: readonly PathPoint[], change: Change, only?: readonly string[]): PathPoint[] {
  return points.map((point) => {
    if (only && !only.includes(point.id)) return point;
    const handle = (name: 'in' | 'out') => (point[name] ? { [name]: rounded(directed(change, new Vector3(...point[name]))) } : {});
    return { ...point, at: rounded(placed(change, new Vector3(...point.at))), ...handle('in'), ...handle('out') };
  });
}

const within = (param: Param, value: number): number => ('min' in param.values && 'max' in param.values ? Math.min(param.values.max, Math.max(param.values.min, value)) : value);

/** What a change does to one parameter of a node, by what it can be taken hold of as. */
function changedParam(document: Scene, node: string, param: Param, change: Change): unknown {
  const value = valueOf(document, node, param);
  if (byFormula(document, node, param)) return undefined;
  if (param.values.kind === 'points' || param.values.kind === 'moved-points') {
    const points = value as PathPoint[];
    return points.length > 0 ? changedPoints(points, change) : undefined;
  }
  switch (param.role?.kind) {
    case 'place':
      return rounded(placed(change, new Vector3(...(value as Place))));
    case 'aim':
      return change.degrees === 0 && change.scale === 1 ? undefined : rounded(directed(change, new Vector3(...(value as Place))));
    case 'tube':
      // What is told in sizes of something grows with that.
      if (param.role.times) return undefined;
    // falls through
    case 'size':
      return change.scale === 1 ? undefined : within(param, Number((Number(value) * change.scale).toPrecision(9)));
    case 'turn':
      return change.degrees === 0 ? undefined : within(param, Number((Number(value) + change.degrees).toFixed(6)));
    default:
      return undefined;
  }
}

/** True when a node has something that can be moved. */
export function isMovable(document: Scene, node: string, schemas: readonly NodeSchema[]): boolean {
  const schema = schemas.find((schema) => schema.name === document.nodes?.[node]?.type);
  return schema?.params.some((param) => (param.role?.kind === 'place' && !byFormula(document, node, param)) || (param.values.kind === 'points' && (valueOf(document, node, param) as unknown[]).length > 0)) ?? false;
}

/** The nodes that a change of these nodes really moves: themselves, or what carries them. */
export function carriers(document: Scene, nodes: readonly string[], schemas: readonly NodeSchema[]): string[] {
  const found = new Set<string>();
  const look = (node: string) => {
    if (isMovable(document, node, schemas)) found.add(node);
    else for (const thread of Object.values(document.threads ?? {})) if (thread.to === node) look(thread.from);
  };
  nodes.forEach(look);
  return [...found].filter((node) => !document.nodes?.[node]?.locked);
}

/** The edit of a change of whole nodes. */
export function changedNodes(document: Scene, nodes: readonly string[], schemas: readonly NodeSchema[], change: Change): Op[] {
  return nodes.flatMap((node) => {
    const schema = schemas.find((schema) => schema.name === document.nodes?.[node]?.type);
    return (schema?.params ?? []).flatMap((param) => {
      const next = changedParam(document, node, param, change);
      return next === undefined ? [] : [put(['nodes', node, 'params', param.name], next)];
    });
  });
}

/** Places of whole nodes from which their middle is found. */
export function placesOf(document: Scene, nodes: readonly string[], schemas: readonly NodeSchema[], joints: (node: string) => readonly Joint[]): Vector3[] {
  return nodes.flatMap((node) => {
    const points = joints(node).map((joint) => new Vector3(...joint.at));
    if (points.length > 0) return points;
    const schema = schemas.find((schema) => schema.name === document.nodes?.[node]?.type);
    const places = (schema?.params ?? []).filter((param) => param.role?.kind === 'place' && !byFormula(document, node, param));
    return places.map((param) => new Vector3(...(valueOf(document, node, param) as Place)));
  });
}

/** The middle of the box round some places. */
export function middleOf(places: readonly Vector3[]): Vector3 {
  const low = places.reduce((a, b) => a.clone().min(b), places[0]?.clone() ?? new Vector3());
  const high = places.reduce((a, b) => a.clone().max(b), places[0]?.clone() ?? new Vector3());
  return low.add(high).multiplyScalar(0.5);
}

/** A turn about a direction, degrees. */
export function turnAbout(pivot: Vector3, normal: Vector3, degrees: number): Change {
  return { ...unchanged(pivot), turn: new Quaternion().setFromAxisAngle(normal, MathUtils.degToRad(degrees)), degrees };
}
