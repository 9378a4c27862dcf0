import { Box3, BufferAttribute, BufferGeometry, DataTexture, FloatType, Matrix4, Mesh, NearestFilter, RGBAFormat, SkinnedMesh, Vector3, Vector4 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { PosesOfClips } from '../../../../api/types';
import { Kept, free, materialOf, turnOf, type Part } from './models';

/** The attribute of an instance that says where it is in its clips: the mixture, counted in layers, and the part of the cycle, in rows. */
export const CLIP_ATTRIBUTE = 'clipAt';
/** Texels of each bone: three rows of a matrix. */
export const TEXELS = 3;
/** Bones' texels side by side, at most; more go on in the next line. */
export const WIDEST = 2048;

/** What brings corners where clips have them, as a picture that shaders read. */
export interface Posing {
  texture: DataTexture;
  /** The part of the cycle that each row is of. */
  rows: number[];
  layers: number;
  /** Layers from one clip to the next; 0 where each thing has a row of its own. */
  between: number;
  bones: number;
  /** True for what lies along a line, and is drawn over it. */
  overLine?: boolean;
}

/** Names of what stands for each corner: where it is written, its normal there, the bones that it hangs on, and how much. */
export const CORNER = { place: 'written', normal: 'writtenNormal', bones: 'bones', weights: 'holds' } as const;

/** Reads poses as they come: a header, then numbers. */
export function readPoses(bytes: ArrayBuffer): { header: PosesOfClips; numbers: Float32Array } {
  const length = new DataView(bytes).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as PosesOfClips;
  return { header, numbers: new Float32Array(bytes, 4 + length) };
}

/** Where a part of the cycle lies among rows. */
export function rowAt(rows: number[], phase: number): number {
  let [low, high] = [0, rows.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((rows[middle] ?? 0) <= phase) low = middle;
    else high = middle;
  }
  const [from, to] = [rows[low] ?? 0, rows[high] ?? 1];
  return low + (to > from ? Math.min(1, (phase - from) / (to - from)) : 0);
}

/** The matrix of a bone in a row of a mixture, by the numbers of poses. */
export function boneAt(numbers: Float32Array, { rows, bones }: Pick<PosesOfClips, 'rows' | 'bones'>, layer: number, row: number, bone: number, to = new Matrix4()): Matrix4 {
  const at = ((layer * rows.length + row) * bones + bone) * 4 * TEXELS;
  const n = (i: number): number => numbers[at + i] ?? 0;
  return to.set(n(0), n(1), n(2), n(3), n(4), n(5), n(6), n(7), n(8), n(9), n(10), n(11), 0, 0, 0, 1);
}

/** The bones that each corner of a mesh hangs on, four at most, and how much. */
function held(mesh: Mesh, node: number, skin: number | undefined, { skins, nodes, bones }: PosesOfClips): { bones: Float32Array; weights: Float32Array } {
  const count = mesh.geometry.getAttribute('position').count;
  const [of, weights] = [new Float32Array(4 * count), new Float32Array(4 * count)];
  const [index, weight] = [mesh.geometry.attributes['skinIndex'], mesh.geometry.attributes['skinWeight']];
  if (mesh instanceof SkinnedMesh && skin !== undefined && index && weight) {
    const first = skins[skin] ?? 0;
    for (let corner = 0; corner < count; corner += 1) {
      for (let i = 0; i < 4; i += 1) {
        of[4 * corner + i] = Math.min(bones - 1, first + index.getComponent(corner, i));
        weights[4 * corner + i] = weight.getComponent(corner, i);
      }
    }
    return { bones: of, weights };
  }
  // What hangs on a node comes after all skins.
  const bone = bones - nodes.length + Math.max(0, nodes.indexOf(node));
  for (let corner = 0; corner < count; corner += 1) {
    of[4 * corner] = bone;
    weights[4 * corner] = 1;
  }
  return { bones: of, weights };
}

/** A mesh with what it hangs on; its own places are where it stands at the start of the first clip, so that it can be met there. */
function hung(mesh: Mesh, hangs: { bones: Float32Array; weights: Float32Array }, start: Matrix4[]): BufferGeometry {
  const own = mesh.geometry.clone();
  const [place, normal] = [own.getAttribute('position'), own.attributes['normal']];
  const count = place.count;
  const geometry = new BufferGeometry();
  if (own.index) geometry.setIndex(own.index);
  for (const name of ['uv', 'color']) {
    const attribute = own.attributes[name];
    if (attribute) geometry.setAttribute(name, attribute);
  }
  const written = Float32Array.from({ length: 3 * count }, (_, i) => place.getComponent(Math.floor(i / 3), i % 3));
  geometry.setAttribute(CORNER.place, new BufferAttribute(written, 3));
  if (normal) geometry.setAttribute(CORNER.normal, new BufferAttribute(Float32Array.from({ length: 3 * count }, (_, i) => normal.getComponent(Math.floor(i / 3), i % 3)), 3));
  geometry.setAttribute(CORNER.bones, new BufferAttribute(hangs.bones, 4));
  geometry.setAttribute(CORNER.weights, new BufferAttribute(hangs.weights, 4));
  const stands = new Float32Array(3 * count);
  const [at, one] = [new Vector3(), new Vector3()];
  for (let corner = 0; corner < count; corner += 1) {
    at.set(0, 0, 0);
    for (let i = 0; i < 4; i += 1) {
      const weight = hangs.weights[4 * corner + i] ?? 0;
      const bone = start[hangs.bones[4 * corner + i] ?? 0];
      if (weight > 0 && bone) at.addScaledVector(one.fromArray(written, 3 * corner).applyMatrix4(bone), weight);
    }
    at.toArray(stands, 3 * corner);
  }
  geometry.setAttribute('position', new BufferAttribute(stands, 3));
  if (normal) geometry.computeVertexNormals();
  return geometry;
}

/** Poses as a picture, with the model fitted into its thing. */
function pictured(numbers: Float32Array, header: PosesOfClips, fitted: Matrix4): DataTexture {
  const { rows, layers, bones } = header;
  const all = rows.length * layers * bones;
  const lines = Math.max(1, Math.ceil((all * TEXELS) / WIDEST));
  const pixels = new Float32Array(WIDEST * lines * 4);
  const [bone, row] = [new Matrix4(), new Vector4()];
  for (let i = 0; i < all; i += 1) {
    boneAt(numbers, header, 0, 0, i, bone).premultiply(fitted);
    const e = bone.elements;
    for (let r = 0; r < TEXELS; r += 1) row.set(e[r] ?? 0, e[r + 4] ?? 0, e[r + 8] ?? 0, e[r + 12] ?? 0).toArray(pixels, 4 * (TEXELS * i + r));
  }
  const texture = new DataTexture(pixels, WIDEST, lines, RGBAFormat, FloatType);
  texture.minFilter = texture.magFilter = NearestFilter;
  texture.needsUpdate = true;
  return texture;
}

/** A model whose clips are played: its meshes and its poses. */
export interface Animated {
  parts: Part[];
  posing: Posing;
}

async function load(hash: string, { nose, top, clips }: { nose: string; top: string; clips: string }): Promise<Animated> {
  const [model, told] = await Promise.all([fetch(`/api/assets/${hash}/model`), fetch(`/api/assets/${hash}/poses?clips=${encodeURIComponent(clips)}`)]);
  if (!model.ok) throw new Error('The model is not kept here: bring it in again.');
  if (!told.ok) {
    const refused = (await told.json().catch(() => null)) as { message?: string } | null;
    throw new Error(refused?.message ?? 'The clips of the model could not be read.');
  }
  const { header, numbers } = readPoses(await told.arrayBuffer());
  const file = await new GLTFLoader().parseAsync(await model.arrayBuffer(), '');
  return assembled(file, header, numbers, nose, top);
}

type File = Awaited<ReturnType<GLTFLoader['parseAsync']>>;

/** A file that was read, with poses of its clips. */
export function assembled(file: File, header: PosesOfClips, numbers: Float32Array, nose: string, top: string): Animated {
  const [low, high] = header.around.map((corner) => new Vector3().fromArray(corner)) as [Vector3, Vector3];
  const box = new Box3(low, high);
  const size = box.getSize(new Vector3());
  const scale = 1 / Math.max(size.x, size.y, size.z);
  const fitted = turnOf(nose, top).multiply(new Matrix4().makeScale(scale, scale, scale)).multiply(new Matrix4().makeTranslation(box.getCenter(new Vector3()).negate()));
  const start = Array.from({ length: header.bones }, (_, bone) => boneAt(numbers, header, 0, 0, bone).premultiply(fitted));
  const nodes = (file.parser.json as { nodes?: { skin?: number }[] }).nodes ?? [];
  const parts: Part[] = [];
  file.scene.traverse((object) => {
    if (!(object instanceof Mesh)) return;
    const mesh = object as Mesh;
    const node = nodeOf(file, mesh);
    parts.push({ geometry: hung(mesh, held(mesh, node, nodes[node]?.skin, header), start), material: materialOf(mesh) });
  });
  return { parts, posing: { texture: pictured(numbers, header, fitted), rows: header.rows, layers: header.layers, between: header.between, bones: header.bones } };
}

/** The number of the node that a mesh stands for: of several parts of one mesh, that of what holds them. */
function nodeOf(file: File, mesh: Mesh): number {
  const own = file.parser.associations.get(mesh)?.nodes;
  return own ?? (mesh.parent ? file.parser.associations.get(mesh.parent)?.nodes : undefined) ?? -1;
}

const kept = new Kept<Animated>(({ parts, posing }) => {
  free(parts);
  posing.texture.dispose();
});

/** A model with the poses of some of its clips: its longest side one metre, its middle in the origin, its nose along +x. */
export const animatedOf = (hash: string, how: { nose: string; top: string; clips: string }): Promise<Animated> => kept.get(`${hash} ${how.nose} ${how.top} ${how.clips}`, () => load(hash, how));

/** In a vertex shader: a bone as poses in layers have it, between two rows. */
const BETWEEN_ROWS = `
mat4 boneOf(int layer, float row, int bone) {
  int below = int(floor(row));
  int first = ((layer * posesOf.x + below) * posesOf.z + bone) * ${TEXELS};
  int second = ((layer * posesOf.x + min(below + 1, posesOf.x - 1)) * posesOf.z + bone) * ${TEXELS};
  float part = row - float(below);
  vec4 x = mix(texelOf(first), texelOf(second), part);
  vec4 y = mix(texelOf(first + 1), texelOf(second + 1), part);
  vec4 z = mix(texelOf(first + 2), texelOf(second + 2), part);
  return transpose(mat4(x, y, z, vec4(0.0, 0.0, 0.0, 1.0)));
}
mat4 layersOf(float layer, float row, int bone) {
  int below = int(floor(layer));
  float part = layer - float(below);
  mat4 lower = boneOf(below, row, bone);
  if (part < 0.001) return lower;
  mat4 upper = boneOf(min(below + 1, posesOf.y - 1), row, bone);
  return lower * (1.0 - part) + upper * part;
}
`;

/** The same where each thing has a row of its own. */
const OWN_ROWS = `
mat4 layersOf(float layer, float row, int bone) {
  int first = (int(row) * posesOf.z + bone) * ${TEXELS};
  return transpose(mat4(texelOf(first), texelOf(first + 1), texelOf(first + 2), vec4(0.0, 0.0, 0.0, 1.0)));
}
`;

/** In a vertex shader: where a corner is, from where it is written. */
export function posedShader(vertexShader: string, normals: boolean, ownRows: boolean): string {
  const declared = `
attribute vec3 ${CORNER.place};
${normals ? `attribute vec3 ${CORNER.normal};` : ''}
attribute vec4 ${CORNER.bones};
attribute vec4 ${CORNER.weights};
attribute vec2 ${CLIP_ATTRIBUTE};
uniform highp sampler2D poses;
uniform ivec3 posesOf;
mat4 posed;
vec4 texelOf(int at) { return texelFetch(poses, ivec2(at % ${WIDEST}, at / ${WIDEST}), 0); }
${ownRows ? OWN_ROWS : BETWEEN_ROWS}mat4 posedOf() {
  float row = ${CLIP_ATTRIBUTE}.y;
  float layer = clamp(${CLIP_ATTRIBUTE}.x, 0.0, float(posesOf.y - 1));
  mat4 sum = ${CORNER.weights}.x * layersOf(layer, row, int(${CORNER.bones}.x));
  if (${CORNER.weights}.y > 0.0) sum += ${CORNER.weights}.y * layersOf(layer, row, int(${CORNER.bones}.y));
  if (${CORNER.weights}.z > 0.0) sum += ${CORNER.weights}.z * layersOf(layer, row, int(${CORNER.bones}.z));
  if (${CORNER.weights}.w > 0.0) sum += ${CORNER.weights}.w * layersOf(layer, row, int(${CORNER.bones}.w));
  return sum;
}
`;
  return `${declared}${vertexShader}`
    .replace('void main() {', 'void main() {\n  posed = posedOf();')
    .replace('#include <begin_vertex>', `vec3 transformed = (posed * vec4(${CORNER.place}, 1.0)).xyz;`)
    .replace('#include <beginnormal_vertex>', normals ? `vec3 objectNormal = normalize(mat3(posed) * ${CORNER.normal});` : '#include <beginnormal_vertex>');
}

