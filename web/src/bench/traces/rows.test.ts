import { describe, expect, it } from 'vitest';
import { slopeAtFrame, valueAtFrame, type Key, type Keyed } from '../../scene/keyed';
import type { TraceBlock } from '../../scene/store';
import { keyedCurve, reach } from './rows';

const LOOP = 48;
const block = (() => {
  const steps = 241;
  const numbers = new Float32Array(steps * 3);
  for (let i = 0; i < steps; i += 1) numbers[i] = -4.8 + ((LOOP + 9.6) * i) / (steps - 1);
  return { header: { steps, channels: [] }, numbers } as unknown as TraceBlock;
})();
const key = (id: string, frame: number, value: number, more: Partial<Key> = {}): Key => ({ id, frame, value, ...more });
const ways = ['with the loop', 'holds', 'runs on', 'repeats', 'climbs', 'turns back'];
const list = [key('a', 3, 1), key('b', 20, 4, { handles: 'split', after: [6, 1] }), key('c', 40, -2)];

describe('keys in the Traces', () => {
  it('have the rate at which their curve changes, whatever they do beyond their ends', () => {
    for (const beyond of ways) {
      const keyed: Keyed = { keys: list, beyond };
      for (let frame = -70.37; frame < 150; frame += 1.93) {
        const near = (to: number) => valueAtFrame(keyed, LOOP, frame + to);
        const rate = (near(1e-4) - near(-1e-4)) / 2e-4;
        expect(slopeAtFrame(keyed, LOOP, frame), `${beyond} at ${frame}`).toBeCloseTo(rate, 3);
      }
    }
  });

  it('of whole laps run over the seam without a cliff, in value and rate', () => {
    const laps: Keyed = { keys: [key('a', 0, 0, { handles: 'straight' }), key('b', LOOP, 1, { handles: 'straight' })] };
    const { value, pace } = keyedCurve(laps, block, LOOP, 24);
    value.frames.forEach((frame, i) => expect(value.values[i]).toBeCloseTo(frame / LOOP, 5));
    pace.values.forEach((rate) => expect(rate).toBeCloseTo(24 / LOOP, 5));
  });

  it('are within reach where they lie beyond the loop, and led to', () => {
    const astray: Keyed = { keys: [key('z', -30, 2), ...list, key('d', 100, 5)] };
    const [from, to] = reach(block, [{ keyed: astray }, { keyed: null }]);
    expect(from).toBeLessThan(-30);
    expect(to).toBeGreaterThan(100);
    expect(reach(block, [{ keyed: { keys: list } }])).toEqual([block.numbers[0], block.numbers[240]]);
    const { value, astray: leads } = keyedCurve(astray, block, LOOP, 24);
    expect(value.frames[0]).toBeLessThan(-30);
    expect(value.frames.at(-1)).toBeGreaterThan(100);
    value.frames.forEach((frame, i) => i > 0 && expect(frame).toBeGreaterThan(value.frames[i - 1] ?? 0));
    expect(leads.map(({ frames, values }) => [frames[0], frames.at(-1), values[0]])).toMatchObject([[-30, 0, 2], [LOOP, 100, expect.any(Number)]]);
    expect(leads[1]?.values.at(-1)).toBe(5);
    // What holds beyond the loop is led to by its own curve.
    expect(keyedCurve({ ...astray, beyond: 'holds' }, block, LOOP, 24).astray).toEqual([]);
  });
});
