import { Graph, layout } from '@dagrejs/dagre';
import type { Scene } from '../../api/types';
import { ROOM, SLIP } from './lay';

/** Room between slips beside each other and between rows, px. */
const BETWEEN = { beside: 12, rows: 64 };
/** Where the first slip lies. */
const FIRST = { x: 16, y: 40 };

/** Where slips lie so that all threads go down, few of them cross, and the slips of a group lie together. */
export function tidied(document: Scene): Record<string, [number, number]> {
  const graph = new Graph({ compound: true });
  graph.setGraph({ rankdir: 'TB', nodesep: BETWEEN.beside, ranksep: BETWEEN.rows });
  graph.setDefaultEdgeLabel(() => ({}));
  const nodes = Object.entries(document.nodes ?? {}).sort(([a], [b]) => a.localeCompare(b));
  for (const [id] of nodes) graph.setNode(id, { ...SLIP });
  for (const [id, { group }] of nodes) {
    if (!group || !document.groups?.[group]) continue;
    const frame = `group ${group}`;
    if (!graph.hasNode(frame)) graph.setNode(frame, { paddingX: ROOM.side, paddingY: ROOM.top });
    graph.setParent(id, frame);
  }
  for (const { from, to } of Object.values(document.threads ?? {})) if (graph.hasNode(from) && graph.hasNode(to)) graph.setEdge(from, to);
  layout(graph);
  // Their middles are known.
  const corners = nodes.map(([id]): [string, number, number] => [id, graph.node(id).x - SLIP.width / 2, graph.node(id).y - SLIP.height / 2]);
  const [left, top] = [Math.min(...corners.map(([, x]) => x)), Math.min(...corners.map(([, , y]) => y))];
  return Object.fromEntries(corners.map(([id, x, y]) => [id, [Math.round(x - left + FIRST.x), Math.round(y - top + FIRST.y)]]));
}
