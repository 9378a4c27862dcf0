import type { Difference, Op } from '../../api/types';
import { put, remove } from '../../scene/edits';

/** What takes one difference back. */
export function back({ at, before }: Difference): Op {
  return before === undefined || before === null ? remove(at) : put(at, before);
}
