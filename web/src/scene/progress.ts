import type { NodeStatus } from '../api/types';

export type Progress = NonNullable<NodeStatus['progress']>;

/** How much of what is worked out frame by frame is there, 0 to 1. */
export const partDone = ({ done, of }: Progress): number => (of > 0 ? done / of : 0);

/** The same in words. */
export const progressWords = ({ done, of, stopped }: Progress): string => `${stopped ? 'stopped at' : 'frame'} ${done} of ${of}`;

/** What all nodes of a scene together wait for; nothing where all is there. */
export function waitedFor(nodes: Record<string, NodeStatus>): Progress | null {
  const all = Object.values(nodes).flatMap(({ progress }) => (progress ? [progress] : []));
  if (all.length === 0) return null;
  const sum = (of: (progress: Progress) => number) => all.reduce((total, progress) => total + of(progress), 0);
  return { done: sum(({ done }) => done), of: sum(({ of }) => of), stopped: all.every(({ stopped }) => stopped) };
}
