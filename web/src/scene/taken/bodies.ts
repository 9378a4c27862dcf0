import type { BodyHeader } from '../../api/blocks';
import type { EndLook } from '../../api/types';

/** The body of what is dented, in its own axes. */
export interface Body {
  corners: number;
  places: Float32Array;
  /** Unit vectors along which corners are moved. */
  normals: Float32Array;
  /** Three corners each. */
  triangles: Uint32Array;
}

/** Bodies by the node of their end and the number of their kind. */
export type Bodies = Record<string, Body>;

export const bodyName = (node: string, kind: number): string => `${node} ${kind}`;

/** A body from the numbers of its block. */
export function bodyOf({ corners, triangles }: BodyHeader, numbers: Float32Array): Body {
  const end = 6 * corners + 3 * triangles;
  if (numbers.length !== end) throw new Error('The block of a body is cut off.');
  return { corners, places: numbers.subarray(0, 3 * corners), normals: numbers.subarray(3 * corners, 6 * corners), triangles: Uint32Array.from(numbers.subarray(6 * corners, end)) };
}

/** Those that are among what is looked at. */
export function bodiesOf(bodies: Bodies, looks: EndLook[]): Bodies {
  const names = new Set(looks.flatMap(({ node, kinds }) => kinds.flatMap(({ dented }, kind) => (dented ? [bodyName(node, kind)] : []))));
  const left = Object.entries(bodies).filter(([name]) => names.has(name));
  return left.length === Object.keys(bodies).length ? bodies : Object.fromEntries(left);
}
