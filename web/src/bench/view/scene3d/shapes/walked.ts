import { Box3, BufferAttribute, BufferGeometry, DataTexture, FloatType, Matrix4, NearestFilter, RGBAFormat, Vector3 } from 'three';
import { CORNER, TEXELS, WIDEST, animatedOf, boneAt, type Posing } from './clips';
import type { Part } from './models';

/** Numbers of a bone: three rows of a matrix. */
const BONE = 4 * TEXELS;

/** The meshes of what walks, hung on its bones. */
export async function walkedParts(hash: string): Promise<Part[]> {
  const { parts } = await animatedOf(hash, { nose: '+x', top: '+y', clips: '0:0' });
  return parts.map(({ geometry, material }) => ({ geometry: geometry.clone(), material }));
}

/** The bones of some things as a picture that shaders read: a row for each. */
export class Bones {
  readonly posing: Posing;
  private readonly pixels: Float32Array;

  constructor(things: number, private readonly bones: number) {
    const lines = Math.max(1, Math.ceil((things * bones * TEXELS) / WIDEST));
    this.pixels = new Float32Array(WIDEST * lines * 4);
    const texture = new DataTexture(this.pixels, WIDEST, lines, RGBAFormat, FloatType);
    texture.minFilter = texture.magFilter = NearestFilter;
    this.posing = { texture, rows: Array.from({ length: things }, (_, row) => row), layers: 1, between: 0, bones };
  }

  /** Puts the bones of a thing into a row; `at` is where its numbers begin. */
  set(row: number, numbers: Float32Array, at: number): void {
    this.pixels.set(numbers.subarray(at, at + BONE * this.bones), BONE * row * this.bones);
    this.posing.texture.needsUpdate = true;
  }

  /** A form as its bones carry it, in its thing's own axes: what is drawn, to be met by a ray. */
  formAt(hung: BufferGeometry, numbers: Float32Array, at: number): BufferGeometry {
    const [written, bones, weights] = [CORNER.place, CORNER.bones, CORNER.weights].map((name) => hung.getAttribute(name));
    if (!written || !bones || !weights) return new BufferGeometry();
    const own = numbers.subarray(at, at + BONE * this.bones);
    const carry = Array.from({ length: this.bones }, (_, bone) => boneAt(own, { rows: [0], bones: this.bones }, 0, 0, bone, new Matrix4()));
    const places = new Float32Array(3 * written.count);
    const [sum, one] = [new Vector3(), new Vector3()];
    for (let corner = 0; corner < written.count; corner += 1) {
      sum.set(0, 0, 0);
      for (let i = 0; i < 4; i += 1) {
        const [weight, bone] = [weights.getComponent(corner, i), carry[bones.getComponent(corner, i)]];
        if (weight > 0 && bone) sum.addScaledVector(one.fromBufferAttribute(written, corner).applyMatrix4(bone), weight);
      }
      sum.toArray(places, 3 * corner);
    }
    const form = new BufferGeometry().setAttribute('position', new BufferAttribute(places, 3));
    if (hung.index) form.setIndex(hung.index);
    return form;
  }

  /** The box around that. */
  boxAt(hung: BufferGeometry, numbers: Float32Array, at: number): Box3 {
    const form = this.formAt(hung, numbers, at);
    form.computeBoundingBox();
    form.dispose();
    return form.boundingBox ?? new Box3();
  }
}
