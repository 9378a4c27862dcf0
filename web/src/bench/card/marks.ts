import type { Op, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';

export const marks = [
  { field: 'bypassed', title: 'Bypass', help: 'Hands on what it takes, as if it were not there' },
  { field: 'hidden', title: 'Hide', help: 'Is not shown in the View' },
  { field: 'solo', title: 'Solo', help: 'Only nodes with this mark are shown in the View' },
  { field: 'locked', title: 'Lock', help: 'Cannot be changed or removed' },
] as const;

export type Mark = (typeof marks)[number]['field'];

/** The edit that sets a mark on nodes, or takes it off all when all have it. */
export function marking(document: Scene, ids: string[], field: Mark): Op[] {
  const on = !ids.every((id) => document.nodes?.[id]?.[field]);
  return ids.map((id) => (on ? put(['nodes', id, field], true) : remove(['nodes', id, field])));
}
