import type { Op, Scene } from '../../api/types';
import { freshId, put, remove } from '../../scene/edits';
import { freeName } from '../weave/work';

/** How far above an Output the node stands that closes what it hands off. */
const ABOVE = 70;

/** What puts a Close loop before an Output; nothing where there is one already, or no Output. */
export function closing(document: Scene, end: string): Op[] | null {
  const nodes = document.nodes ?? {};
  const [id, thread] = Object.entries(document.threads ?? {}).find(([, thread]) => thread.to === end) ?? [];
  const output = nodes[end];
  if (!id || !thread || output?.type !== 'output' || nodes[thread.from]?.type === 'close-loop') return null;
  const node = freshId('node');
  const [x = 0, y = 0] = output.at ?? [];
  return [
    remove(['threads', id]),
    put(['nodes', node], { type: 'close-loop', name: freeName(document, 'Close loop'), at: [x, y], params: {} }),
    put(['nodes', end, 'at'], [x, y + ABOVE]),
    put(['threads', freshId('thread')], { from: thread.from, to: node, port: 'motion' }),
    put(['threads', freshId('thread')], { from: node, to: end, port: thread.port }),
  ];
}
