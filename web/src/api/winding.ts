import type { NodeStatus, Op, Scene } from './types';
import { put } from '../scene/edits';

/**
 * Keeps the turn that closes steady axes continuous while a path is dragged. What is left after a lap is known from
 * −180° to 180° only; where it runs over one of these on its way, a whole turn is put in its place.
 */
export class Winding {
  /** For each node the unwrapped angle in degrees that was seen last, and the whole turns at the beginning. */
  private readonly known = new Map<string, { angle: number; at: number; turns: number }>();
  private held = false;

  /** A drag begins, or goes on. */
  begin(nodes: Record<string, NodeStatus>, document: Scene | null): void {
    if (this.held) return;
    this.held = true;
    for (const [id, { closing }] of Object.entries(nodes)) {
      const node = document?.nodes?.[id];
      // A locked node would have the whole edit refused.
      if (typeof closing === 'number' && node && !node.locked) this.known.set(id, { angle: closing, at: closing, turns: Number(node.params?.['turns'] ?? 0) });
    }
  }

  /** Takes in the angles of a step; true when a whole turn came in or went. */
  take(nodes: Record<string, NodeStatus>): boolean {
    let changed = false;
    for (const [id, known] of this.known) {
      const closing = nodes[id]?.closing;
      if (typeof closing !== 'number') continue;
      const angle = closing + 360 * Math.round((known.angle - closing) / 360);
      changed ||= Math.round((angle - closing) / 360) !== Math.round((known.angle - known.at) / 360);
      this.known.set(id, { ...known, angle, at: closing });
    }
    return changed;
  }

  /** What belongs to the drag beside what is dragged. */
  ops(): Op[] {
    return [...this.known].flatMap(([id, { angle, at, turns }]) => {
      const more = Math.round((angle - at) / 360);
      return more === 0 ? [] : [put(['nodes', id, 'params', 'turns'], turns + more)];
    });
  }

  end(): void {
    this.held = false;
    this.known.clear();
  }
}
