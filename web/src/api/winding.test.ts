import { describe, expect, it } from 'vitest';
import type { NodeStatus, Scene } from './types';
import { Winding } from './winding';

const at = (closing: number | null) => ({ face: { closing } as NodeStatus });
const scene = (turns: number) => ({ nodes: { face: { params: { turns } } } }) as unknown as Scene;
const turnsOf = (winding: Winding) => winding.ops().map((op) => (op.op === 'put' ? op.value : null));

describe('winding', () => {
  it('puts a whole turn in where the angle runs over 180°, and takes it out on the way back', () => {
    const winding = new Winding();
    winding.begin(at(150), scene(2));
    expect(winding.take(at(179))).toBe(false);
    expect(winding.take(at(-179))).toBe(true);
    expect(turnsOf(winding)).toEqual([3]);
    expect(winding.take(at(-170))).toBe(false);
    expect(winding.take(at(175))).toBe(true);
    expect(winding.ops()).toEqual([]);
  });

  it('keeps the whole angle continuous for any smooth way', () => {
    const winding = new Winding();
    const wrapped = (angle: number) => angle - 360 * Math.round(angle / 360);
    winding.begin(at(wrapped(0)), scene(0));
    for (let step = 1; step <= 400; step += 1) {
      const whole = 900 * Math.sin(step / 60);
      winding.take(at(wrapped(whole)));
      const turns = Number(turnsOf(winding)[0] ?? 0);
      expect(wrapped(whole) + 360 * turns).toBeCloseTo(whole, 6);
    }
  });

  it('leaves a locked node alone, so that the drag itself is not refused', () => {
    const winding = new Winding();
    winding.begin(at(170), { nodes: { face: { locked: true, params: {} } } } as unknown as Scene);
    expect(winding.take(at(-170))).toBe(false);
    expect(winding.ops()).toEqual([]);
  });

  it('forgets at the end, and passes over what has no angle', () => {
    const winding = new Winding();
    winding.begin(at(170), scene(0));
    winding.take(at(null));
    winding.take(at(-170));
    expect(turnsOf(winding)).toEqual([1]);
    winding.end();
    expect(winding.ops()).toEqual([]);
    winding.begin(at(-170), scene(1));
    expect(winding.take(at(-175))).toBe(false);
  });
});
