import type { Scene } from '../../api/types';

/** True for a node that the View shows: it is not hidden, and it is solo where any is. */
export function isVisible(document: Scene, node: string): boolean {
  const nodes = document.nodes ?? {};
  const any = Object.values(nodes).some((other) => other.solo);
  const own = nodes[node];
  return own !== undefined && !own.hidden && (!any || own.solo === true);
}
