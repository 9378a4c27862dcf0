import { expect, it } from 'vitest';
import fixture from '../../../../../../core/tests/fixtures/things.json';
import { thingGeometry } from './things';

/** The core holds the forms of bodies to the same file. */
it('things are shown as large as their forms are, but for what is named', () => {
  for (const [word, { shown }] of Object.entries(fixture)) {
    const geometry = thingGeometry(word);
    geometry.computeBoundingBox();
    const found = [geometry.boundingBox?.min.toArray(), geometry.boundingBox?.max.toArray()];
    found.forEach((corner, side) => corner?.forEach((at, axis) => expect(at, `${word} ${side} ${axis}`).toBeCloseTo(shown[side]?.[axis] ?? NaN, 3)));
  }
});
