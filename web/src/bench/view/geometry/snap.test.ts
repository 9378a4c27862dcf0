import { Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { inSteps } from './snap';

describe('an aim in whole steps', () => {
  it('keeps its length and goes in the nearest of directions 15° apart', () => {
    const about = new Vector3(1, 2, 3);
    for (const way of [new Vector3(1, 0.2, 0.3), new Vector3(-0.4, 2, 0.1), new Vector3(0.3, -0.2, -5)]) {
      const to = inSteps(about, about.clone().add(way), false).sub(about);
      expect(to.length()).toBeCloseTo(way.length(), 9);
      const up = (Math.atan2(to.y, Math.hypot(to.x, to.z)) * 180) / Math.PI;
      expect(Math.abs(up / 15 - Math.round(up / 15))).toBeLessThan(1e-9);
      const round = (Math.atan2(-to.z, to.x) * 180) / Math.PI;
      expect(Math.abs(round / 15 - Math.round(round / 15))).toBeLessThan(1e-9);
      // Half a step up or down and half a step round is the most that it may be off.
      expect((to.angleTo(way) * 180) / Math.PI).toBeLessThan(11);
    }
  });

  it('stays in the picture of a flat scene', () => {
    const to = inSteps(new Vector3(), new Vector3(1, 0.95, 0), true);
    expect(to.x).toBeCloseTo(to.y, 9);
    expect(to.length()).toBeCloseTo(Math.hypot(1, 0.95), 9);
  });
});
