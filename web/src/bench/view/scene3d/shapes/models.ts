import { Box3, BufferGeometry, Material, Matrix4, Mesh, Texture, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';

/** A mesh of a thing, and the material that it brings along. */
export interface Part {
  geometry: BufferGeometry;
  material: Material | null;
}

/** Sides of a model, by the names that documents use. */
export const sides: Record<string, Vector3> = {
  '+x': new Vector3(1, 0, 0),
  '-x': new Vector3(-1, 0, 0),
  '+y': new Vector3(0, 1, 0),
  '-y': new Vector3(0, -1, 0),
  '+z': new Vector3(0, 0, 1),
  '-z': new Vector3(0, 0, -1),
};

/** The turn that brings a model's nose to +x and its top to +y; none when they lie on one line. */
export function turnOf(nose: string, top: string): Matrix4 {
  const [ahead, up] = [sides[nose] ?? new Vector3(1, 0, 0), sides[top] ?? new Vector3(0, 1, 0)];
  if (Math.abs(ahead.dot(up)) > 0.5) return new Matrix4();
  return new Matrix4().makeBasis(ahead, up, ahead.clone().cross(up)).transpose();
}

/** Models that are kept. */
const MOST_KEPT = 8;

interface Model {
  parts: Part[];
  box: Box3;
}

/** What was loaded, by a key; the one not used for longest is let go beyond some number. */
export class Kept<T> {
  private readonly loaded = new Map<string, Promise<T>>();

  constructor(private readonly letGo: (value: T) => void) {}

  get(key: string, load: () => Promise<T>): Promise<T> {
    const { loaded } = this;
    const known = loaded.get(key);
    if (known) {
      loaded.delete(key);
      loaded.set(key, known);
      return known;
    }
    const fresh = load();
    loaded.set(key, fresh);
    fresh.catch(() => loaded.delete(key));
    for (const [oldest, value] of loaded) {
      if (loaded.size <= MOST_KEPT) break;
      loaded.delete(oldest);
      value.then(this.letGo, () => undefined);
    }
    return fresh;
  }
}

const models = new Kept<Model>(({ parts }) => free(parts));

/** The material that a mesh brings along: of several its first. */
export const materialOf = (mesh: Mesh): Material | null => (Array.isArray(mesh.material) ? (mesh.material[0] ?? null) : mesh.material);

/** Lets go of meshes and their materials. */
export function free(parts: Part[]): void {
  for (const { geometry, material } of parts) {
    geometry.dispose();
    if (!material) continue;
    for (const value of Object.values(material)) if (value instanceof Texture) value.dispose();
    material.dispose();
  }
}

async function load(hash: string): Promise<Model> {
  const response = await fetch(`/api/assets/${hash}/model`);
  if (!response.ok) throw new Error('The model is not kept here: bring it in again.');
  const file = await new GLTFLoader().parseAsync(await response.arrayBuffer(), '');
  file.scene.updateMatrixWorld(true);
  const parts: Part[] = [];
  file.scene.traverse((object) => {
    if (!(object instanceof Mesh)) return;
    const mesh = object as Mesh;
    parts.push({ geometry: mesh.geometry.clone().applyMatrix4(mesh.matrixWorld), material: materialOf(mesh) });
  });
  const box = new Box3();
  for (const { geometry } of parts) {
    geometry.computeBoundingBox();
    if (geometry.boundingBox) box.union(geometry.boundingBox);
  }
  if (box.isEmpty() || !Number.isFinite(box.getSize(new Vector3()).length())) throw new Error('The model has no size: export it again.');
  return { parts, box };
}

/** The meshes of a model: its longest side one metre, its middle in the origin, its nose along +x. */
export async function partsOf(hash: string, nose: string, top: string): Promise<Part[]> {
  const { parts, box } = await models.get(hash, () => load(hash));
  const size = box.getSize(new Vector3());
  const scale = 1 / Math.max(size.x, size.y, size.z);
  const fitted = turnOf(nose, top).multiply(new Matrix4().makeScale(scale, scale, scale)).multiply(new Matrix4().makeTranslation(box.getCenter(new Vector3()).negate()));
  return parts.map(({ geometry, material }) => ({ geometry: geometry.clone().applyMatrix4(fitted), material }));
}
