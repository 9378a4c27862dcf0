import { Box3, BufferAttribute, BufferGeometry, Color, DataTexture, FloatType, Matrix4, MeshStandardMaterial, NearestFilter, Quaternion, RGBAFormat, SRGBColorSpace, TextureLoader, Vector3 } from 'three';
import type { BentReport } from '../../../../api/types';
import { CORNER, TEXELS, WIDEST, type Posing } from './clips';
import { Kept, partsOf, type Part } from './models';

/** Numbers of a joint as they come: a place, a turn, a factor along it and one across. */
const JOINT = 9;
/** Corners of triangles beyond which a model is not divided any further, if it had not half as many before. */
const MOST_CORNERS = 120_000;
/** More corners than any model has. */
const MOST_KEYED = 2 ** 26;
/** Parts of its length that edges of a model are no longer than. */
const PARTS = 80;
/** A tail is as long as this part of the width, and no longer than this part of the length. */
const TAIL = 0.7;
const LONGEST_TAIL = 0.4;

type Strip = NonNullable<BentReport['strip']>;

/** Where along a strip it has corners: at its joints, where stripes change, and where its tail begins. */
function cuts(length: number, joints: number, stripes: number, tail: number): number[] {
  const all = [tail];
  for (let i = 0; i < joints; i += 1) all.push((length * i) / (joints - 1));
  for (let i = 1; i < stripes; i += 1) all.push((length * i) / stripes);
  const near = 1e-6 * length;
  return all.sort((a, b) => a - b).filter((x, i, sorted) => i === 0 || x - (sorted[i - 1] ?? 0) > near);
}

/** A strip at rest, its tail at 0 and its head along +x, its face up, its stripes in their colours. */
export function stripGeometry({ width, thickness, end, picture, ...plain }: Strip, length: number, joints: number): BufferGeometry {
  // A picture is seen as it is.
  const [stripes, colours] = picture ? [1, ['#ffffff']] : [plain.stripes, plain.colours];
  const [half, up] = [0.5 * width, 0.5 * thickness];
  const tail = end === 'straight' ? 0 : Math.min(TAIL * width, LONGEST_TAIL * length);
  const edges = (x: number): [number, number] => {
    const part = tail > 0 ? Math.min(1, x / tail) : 1;
    if (end === 'pointed') return [0, half * part];
    return [end === 'swallow-tailed' ? half * (1 - part) : 0, half];
  };
  const [places, hues, spots]: [number[], number[], number[]] = [[], [], []];
  const shades = colours.map((colour) => new Color(colour));
  const face = (shade: Color | undefined, ...corners: number[][]): void => {
    const [a = [], b = [], c = [], d = []] = corners;
    for (const corner of [a, b, c, a, c, d]) {
      places.push(...corner);
      hues.push(shade?.r ?? 1, shade?.g ?? 1, shade?.b ?? 1);
      // From its face the picture is upright with its left at the tail; through to the other side.
      spots.push((corner[0] ?? 0) / length, 0.5 - (corner[2] ?? 0) / width);
    }
  };
  const xs = cuts(length, joints, stripes, tail);
  for (let i = 0; i + 1 < xs.length; i += 1) {
    const [from = 0, to = 0] = xs.slice(i, i + 2);
    const shade = shades[Math.min(stripes - 1, Math.floor((stripes * 0.5 * (from + to)) / length)) % 2];
    const [[inFrom, outFrom], [inTo, outTo]] = [edges(from), edges(to)];
    for (const side of [1, -1]) {
      const [a, b, c, d] = [side * inFrom, side * inTo, side * outTo, side * outFrom];
      const turned = (...corners: number[][]): number[][] => (side > 0 ? corners : corners.reverse());
      face(shade, ...turned([from, up, a], [from, up, d], [to, up, c], [to, up, b]));
      if (thickness === 0) continue;
      face(shade, ...turned([from, -up, a], [to, -up, b], [to, -up, c], [from, -up, d]));
      face(shade, ...turned([from, up, d], [from, -up, d], [to, -up, c], [to, up, c]));
      if (inFrom > 0) face(shade, ...turned([from, up, a], [to, up, b], [to, -up, b], [from, -up, a]));
      if (i === 0) face(shade, ...turned([from, up, a], [from, -up, a], [from, -up, d], [from, up, d]));
      if (i + 2 === xs.length) face(shade, ...turned([to, up, b], [to, up, c], [to, -up, c], [to, -up, b]));
    }
  }
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(places), 3));
  geometry.setAttribute('color', new BufferAttribute(new Float32Array(hues), 3));
  if (picture) geometry.setAttribute('uv', new BufferAttribute(new Float32Array(spots), 2));
  geometry.computeVertexNormals();
  return geometry;
}

const pictured = new Kept<MeshStandardMaterial>((material) => {
  material.map?.dispose();
  material.dispose();
});

/** Cloth with a picture on it. */
function cloth(hash: string): Promise<MeshStandardMaterial> {
  return pictured.get(hash, async () => {
    const map = await new TextureLoader().loadAsync(`/api/assets/${hash}`).catch(() => {
      throw new Error('The picture of a strip is not kept here: bring it in again.');
    });
    map.colorSpace = SRGBColorSpace;
    return new MeshStandardMaterial({ map, roughness: 0.85 });
  });
}

/** The same form with every edge cut in half, again and again, that goes farther along x than it may: neighbours are cut at the same places. */
export function dividedAlong(geometry: BufferGeometry, farthest: number): BufferGeometry {
  const place = geometry.getAttribute('position');
  const { count } = place;
  const xs = Array.from({ length: count }, (_, i) => place.getX(i));
  const open = geometry.index ? Array.from(geometry.index.array) : xs.map((_, i) => i);
  // The two corners that each new one lies between; those of an edge that two triangles share have one.
  const parents: [number, number][] = [];
  const known = new Map<number, number>();
  const between = (p: number, q: number): number => {
    const key = Math.min(p, q) * MOST_KEYED + Math.max(p, q);
    const made = known.get(key) ?? count + parents.length;
    if (made === xs.length) {
      parents.push([p, q]);
      xs.push(0.5 * ((xs[p] ?? 0) + (xs[q] ?? 0)));
      known.set(key, made);
    }
    return made;
  };
  const apart = (p: number, q: number): number => Math.abs((xs[p] ?? 0) - (xs[q] ?? 0));
  const done: number[] = [];
  const enough = Math.max(MOST_CORNERS, 2 * open.length);
  for (let c = open.pop(); c !== undefined; c = open.pop()) {
    const [b, a] = [open.pop() ?? 0, open.pop() ?? 0];
    const far = [apart(a, b), apart(b, c), apart(c, a)];
    const most = Math.max(...far);
    if (most <= farthest || done.length + open.length > enough) {
      done.push(a, b, c);
      continue;
    }
    const first = far.indexOf(most);
    const [p, q, r] = [[a, b, c], [b, c, a], [c, a, b]][first] as [number, number, number];
    const middle = between(p, q);
    open.push(p, middle, r, middle, q, r);
  }
  if (parents.length === 0) return geometry;
  const finer = new BufferGeometry();
  for (const name of Object.keys(geometry.attributes)) {
    const from = geometry.getAttribute(name);
    const width = from.itemSize;
    const numbers = new Float32Array(xs.length * width);
    for (let i = 0; i < count; i += 1) for (let n = 0; n < width; n += 1) numbers[i * width + n] = from.getComponent(i, n);
    parents.forEach(([p, q], i) => {
      for (let n = 0; n < width; n += 1) numbers[(count + i) * width + n] = 0.5 * ((numbers[p * width + n] ?? 0) + (numbers[q * width + n] ?? 0));
    });
    finer.setAttribute(name, new BufferAttribute(numbers, width));
  }
  finer.setIndex(done);
  return finer;
}

/** Hangs each corner on the two joints beside it, by how near they are. */
export function hungAlong(geometry: BufferGeometry, length: number, joints: number): BufferGeometry {
  const place = geometry.getAttribute('position');
  const { count } = place;
  const [bones, weights] = [new Float32Array(4 * count), new Float32Array(4 * count)];
  for (let corner = 0; corner < count; corner += 1) {
    const along = Math.max(0, Math.min(1, place.getX(corner) / length)) * (joints - 1);
    const first = Math.min(joints - 2, Math.floor(along));
    bones.set([first, first + 1], 4 * corner);
    weights.set([1 - (along - first), along - first], 4 * corner);
  }
  geometry.setAttribute(CORNER.place, place.clone());
  if (geometry.attributes['normal']) geometry.setAttribute(CORNER.normal, geometry.getAttribute('normal').clone());
  geometry.setAttribute(CORNER.bones, new BufferAttribute(bones, 4));
  geometry.setAttribute(CORNER.weights, new BufferAttribute(weights, 4));
  return geometry;
}

/** What is bent, at rest, hung on its joints. */
export async function bentParts({ length, joints, strip, model }: BentReport, files: Record<string, string>): Promise<Part[]> {
  if (strip) {
    const material = strip.picture ? await cloth(files[strip.picture] ?? '') : null;
    return [{ geometry: hungAlong(stripGeometry(strip, length, joints), length, joints), material }];
  }
  if (!model) return [];
  const parts = await partsOf(files[model.file] ?? '', model.nose, model.top);
  const box = new Box3();
  for (const { geometry } of parts) {
    geometry.computeBoundingBox();
    if (geometry.boundingBox) box.union(geometry.boundingBox);
  }
  const scale = length / Math.max(1e-9, box.max.x - box.min.x);
  const laid = new Matrix4().makeScale(scale, scale, scale).multiply(new Matrix4().makeTranslation(-box.min.x, -0.5 * (box.min.y + box.max.y), -0.5 * (box.min.z + box.max.z)));
  return parts.map(({ geometry, material }) => ({ geometry: hungAlong(dividedAlong(geometry.applyMatrix4(laid), length / Math.min(PARTS, joints - 1)), length, joints), material }));
}

const scratch = { place: new Vector3(), turn: new Quaternion(), scale: new Vector3(), joint: new Matrix4(), back: new Matrix4() };

/** What a joint does with corners as they are written; `at` is where its numbers begin. */
export function jointAt(numbers: Float32Array, at: number, joint: number, joints: number, length: number): Matrix4 {
  const start = at + JOINT * joint;
  const [along, across] = [numbers[start + 7] ?? 1, numbers[start + 8] ?? 1];
  scratch.joint.compose(scratch.place.fromArray(numbers, start), scratch.turn.fromArray(numbers, start + 3), scratch.scale.set(along, across, across));
  return scratch.joint.multiply(scratch.back.makeTranslation((-length * joint) / (joints - 1), 0, 0));
}

/** The joints of some things as a picture that shaders read: a row for each. */
export class Chains {
  readonly posing: Posing;
  private readonly pixels: Float32Array;

  constructor(things: number, private readonly joints: number, private readonly length: number) {
    const lines = Math.max(1, Math.ceil((things * joints * TEXELS) / WIDEST));
    this.pixels = new Float32Array(WIDEST * lines * 4);
    const texture = new DataTexture(this.pixels, WIDEST, lines, RGBAFormat, FloatType);
    texture.minFilter = texture.magFilter = NearestFilter;
    this.posing = { texture, rows: Array.from({ length: things }, (_, row) => row), layers: 1, between: 0, bones: joints, overLine: true };
  }

  /** Puts the joints of a thing into a row; `at` is where its numbers begin. */
  set(row: number, numbers: Float32Array, at: number): void {
    for (let joint = 0; joint < this.joints; joint += 1) {
      const e = jointAt(numbers, at, joint, this.joints, this.length).elements;
      const to = 4 * TEXELS * (row * this.joints + joint);
      for (let r = 0; r < TEXELS; r += 1) this.pixels.set([e[r] ?? 0, e[r + 4] ?? 0, e[r + 8] ?? 0, e[r + 12] ?? 0], to + 4 * r);
    }
    this.posing.texture.needsUpdate = true;
  }

  /** A form as its joints bend it, in its thing's own axes: what is drawn, to be met by a ray. */
  formAt(hung: BufferGeometry, numbers: Float32Array, at: number): BufferGeometry {
    return bentGeometry(hung, numbers, at, this.joints, this.length);
  }

  /** The box around that. */
  boxAt(hung: BufferGeometry, numbers: Float32Array, at: number): Box3 {
    return bentBox(hung, numbers, at, this.joints, this.length);
  }
}

/** A form as its joints bend it, in its thing's own axes: what is drawn, to be met by a ray. */
export function bentGeometry(hung: BufferGeometry, numbers: Float32Array, at: number, joints: number, length: number): BufferGeometry {
  const [written, bones, weights] = [CORNER.place, CORNER.bones, CORNER.weights].map((name) => hung.getAttribute(name));
  if (!written || !bones || !weights) return new BufferGeometry();
  const chain = Array.from({ length: joints }, (_, joint) => jointAt(numbers, at, joint, joints, length).clone());
  const places = new Float32Array(3 * written.count);
  const [sum, one] = [new Vector3(), new Vector3()];
  for (let corner = 0; corner < written.count; corner += 1) {
    sum.set(0, 0, 0);
    for (let i = 0; i < 2; i += 1) {
      const bone = chain[bones.getComponent(corner, i)];
      if (bone) sum.addScaledVector(one.fromBufferAttribute(written, corner).applyMatrix4(bone), weights.getComponent(corner, i));
    }
    sum.toArray(places, 3 * corner);
  }
  return new BufferGeometry().setAttribute('position', new BufferAttribute(places, 3)).setIndex(hung.index);
}

/** The box around what its joints bend, in its thing's own axes: that of all cross-sections as wide as the widest. */
export function bentBox(hung: BufferGeometry, numbers: Float32Array, at: number, joints: number, length: number): Box3 {
  if (!hung.boundingBox) hung.computeBoundingBox();
  const rest = hung.boundingBox ?? new Box3();
  const [box, corner] = [new Box3(), new Vector3()];
  for (let joint = 0; joint < joints; joint += 1) {
    const carried = jointAt(numbers, at, joint, joints, length);
    const x = (length * joint) / (joints - 1);
    for (const y of [rest.min.y, rest.max.y]) for (const z of [rest.min.z, rest.max.z]) box.expandByPoint(corner.set(x, y, z).applyMatrix4(carried));
  }
  return box;
}
