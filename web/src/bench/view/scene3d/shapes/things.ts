import { BufferAttribute, BufferGeometry, PlaneGeometry } from 'three';
import { mergeGeometries } from 'three/addons/utils/BufferGeometryUtils.js';
import things from './things.json';

/** Some geometry in the thing's own colour. */
export function plain(part: BufferGeometry): BufferGeometry {
  const open = part.index ? part.toNonIndexed() : part;
  const count = open.getAttribute('position').count;
  open.setAttribute('color', new BufferAttribute(new Float32Array(3 * count).fill(1), 3));
  return mergeGeometries([open]);
}

/** A mesh as the core makes it: files hold the same. */
interface Mesh {
  places: number[];
  shades: number[];
  triangles: number[];
}

/** A thing of about one metre, its nose along +x and its top along +y. */
export function thingGeometry(word: string): BufferGeometry {
  // A letter is drawn as a sign that carries it.
  if (word === 'letter') return new PlaneGeometry(1, 1);
  const known: Record<string, Mesh> = things;
  const { places, shades, triangles } = known[word] ?? things.arrow;
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(places), 3));
  geometry.setAttribute('color', new BufferAttribute(new Float32Array(shades.flatMap((shade) => [shade, shade, shade])), 3));
  return geometry.setIndex(triangles);
}
