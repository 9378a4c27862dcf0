import { describe, expect, it } from 'vitest';
import type { Scene } from '../../api/types';
import { applied } from '../../scene/edits';
import { closing } from './closing';

const scene = {
  nodes: { ride: { type: 'ride', name: 'Ride', at: [24, 40] }, out: { type: 'output', name: 'Out', at: [24, 170] } },
  threads: { t: { from: 'ride', to: 'out', port: 'motion' } },
} as unknown as Scene;

describe('closing from the Seam', () => {
  it('puts a Close loop between, once, and moves the Output down to make room', () => {
    const ops = closing(scene, 'out');
    const after = applied(scene, ops ?? []);
    const [id] = Object.entries(after.nodes ?? {}).find(([, node]) => node.type === 'close-loop') ?? [];
    const threads = Object.values(after.threads ?? {}).map(({ from, to }) => `${from} ${to}`);
    expect(threads.sort()).toEqual([`ride ${id}`, `${id} out`].sort());
    expect(after.nodes?.['out']?.at?.[1]).toBeGreaterThan(170);
    expect(closing(after, 'out')).toBeNull();
  });

  it('has nothing to offer where nothing is handed off', () => {
    expect(closing(scene, 'ride')).toBeNull();
  });
});
