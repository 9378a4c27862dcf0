import { BufferGeometry, ExtrudeGeometry, Path, Shape, ShapeGeometry, ShapeUtils, Vector2 } from 'three';
import type { GlyphReport } from '../../../../api/types';
import { plain } from './things';

/** The corners of a contour, from its numbers. */
const cornersOf = (numbers: number[]): Vector2[] => Array.from({ length: Math.floor(numbers.length / 2) }, (_, i) => new Vector2(numbers[2 * i], numbers[2 * i + 1]));

/** True where a place lies within a contour. */
function within(corners: Vector2[], { x, y }: Vector2): boolean {
  return corners.reduce((inside, b, i) => {
    const a = corners[(i + corners.length - 1) % corners.length] as Vector2;
    return a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x ? !inside : inside;
  }, false);
}

/** What is filled of a letter, with its holes: the largest contour says which way round is which. */
export function shapesOf({ contours }: Pick<GlyphReport, 'contours'>): Shape[] {
  const all = contours.map(cornersOf).filter((corners) => corners.length > 2);
  const area = (corners: Vector2[]): number => ShapeUtils.area(corners);
  const largest = [...all].sort((a, b) => Math.abs(area(b)) - Math.abs(area(a)))[0];
  if (!largest) return [];
  const filled = all.filter((corners) => area(corners) * area(largest) > 0);
  const shapes = filled.map((corners) => ({ corners, shape: new Shape(corners) }));
  for (const hole of all.filter((corners) => !filled.includes(corners))) {
    const round = shapes.filter(({ corners }) => within(corners, hole[0] as Vector2));
    const nearest = round.sort((a, b) => Math.abs(area(a.corners)) - Math.abs(area(b.corners)))[0];
    nearest?.shape.holes.push(new Path(hole));
  }
  return shapes.map(({ shape }) => shape);
}

/** A letter as a body: x along its line, y up, its face towards +z. */
export function glyphGeometry(glyph: GlyphReport): BufferGeometry {
  const shapes = shapesOf(glyph);
  if (glyph.thickness === 0) return plain(new ShapeGeometry(shapes));
  return plain(new ExtrudeGeometry(shapes, { depth: glyph.thickness, bevelEnabled: false }).translate(0, 0, -0.5 * glyph.thickness));
}
