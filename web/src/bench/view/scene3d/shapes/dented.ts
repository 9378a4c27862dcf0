import { BufferAttribute, BufferGeometry, DynamicDrawUsage } from 'three';
import type { Body } from '../../../../scene/taken/bodies';

/** How light it is where nothing presses, where that is deepest, and where it is raised most. */
const [LIGHT, DARK, BRIGHT] = [0.62, 0.22, 1];

/** The form of what is dented, as it is where nothing presses: smooth, but for its edges. */
export function dentedGeometry(body: Body): BufferGeometry {
  const geometry = new BufferGeometry();
  const corners = (values: Float32Array) => new BufferAttribute(values.slice(), 3).setUsage(DynamicDrawUsage);
  geometry.setAttribute('position', corners(body.places));
  geometry.setAttribute('normal', corners(body.normals));
  geometry.setAttribute('color', corners(new Float32Array(body.normals.length).fill(LIGHT)));
  geometry.setIndex(new BufferAttribute(body.triangles, 1));
  return geometry;
}

/** Moves corners along their normals by the metres that begin at `at`, of which a thing presses so many at most, and shades the form as it is then. */
export function dentInto(geometry: BufferGeometry, { places, normals, triangles, corners }: Body, numbers: Float32Array, at: number, deepest: number): void {
  const [place, normal, colour] = ['position', 'normal', 'color'].map((name) => geometry.getAttribute(name) as BufferAttribute) as [BufferAttribute, BufferAttribute, BufferAttribute];
  const [to, shade, light] = [place.array as Float32Array, normal.array as Float32Array, colour.array as Float32Array];
  for (let corner = 0; corner < corners; corner += 1) {
    const by = numbers[at + corner] ?? 0;
    const part = Math.max(-1, Math.min(1, by / Math.max(deepest, 1e-9)));
    // Less light comes into what is pressed.
    light.fill(LIGHT + (part < 0 ? LIGHT - DARK : BRIGHT - LIGHT) * part, 3 * corner, 3 * corner + 3);
    for (let i = 3 * corner; i < 3 * corner + 3; i += 1) to[i] = (places[i] ?? 0) + by * (normals[i] ?? 0);
  }
  shadeAs(to, triangles, shade);
  place.needsUpdate = true;
  normal.needsUpdate = true;
  colour.needsUpdate = true;
  geometry.boundingBox = null;
  geometry.boundingSphere = null;
}

/** The normal of each corner: the mean of those of its triangles, by their areas. */
function shadeAs(places: Float32Array, triangles: Uint32Array, normals: Float32Array): void {
  normals.fill(0);
  const at = (i: number): number => places[i] ?? 0;
  const add = (i: number, by: number): void => {
    normals[i] = (normals[i] ?? 0) + by;
  };
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [3 * (triangles[t] ?? 0), 3 * (triangles[t + 1] ?? 0), 3 * (triangles[t + 2] ?? 0)];
    const [ux, uy, uz] = [at(b) - at(a), at(b + 1) - at(a + 1), at(b + 2) - at(a + 2)];
    const [vx, vy, vz] = [at(c) - at(a), at(c + 1) - at(a + 1), at(c + 2) - at(a + 2)];
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    for (const corner of [a, b, c]) {
      add(corner, x);
      add(corner + 1, y);
      add(corner + 2, z);
    }
  }
  for (let i = 0; i < normals.length; i += 3) {
    const length = Math.hypot(normals[i] ?? 0, normals[i + 1] ?? 0, normals[i + 2] ?? 0) || 1;
    for (let axis = i; axis < i + 3; axis += 1) normals[axis] = (normals[axis] ?? 0) / length;
  }
}
