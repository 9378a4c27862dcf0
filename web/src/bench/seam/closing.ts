import type { Op, Scene, Thread } from '../../api/types';
import { freshId, put, remove } from '../../scene/edits';
import { freeName } from '../weave/work';

/** How far above an Output the node stands that closes what it hands off. */
const ABOVE = 70;

/** The thread that a Close loop can be put into before an Output; none where there is one already, or no Output. */
export function openThread(document: Scene, end: string): [string, Thread] | null {
  const nodes = document.nodes ?? {};
  const found = Object.entries(document.threads ?? {}).find(([, thread]) => thread.to === end);
  return found && nodes[end]?.type === 'output' && nodes[found[1].from]?.type !== 'close-loop' ? found : null;
}

/** What puts a Close loop before an Output, where one can be put. */
export function closing(document: Scene, end: string): Op[] | null {
  const output = document.nodes?.[end];
  const found = openThread(document, end);
  if (!found || !output) return null;
  const [id, thread] = found;
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
