import { AdditiveBlending, Color, LineBasicMaterial, Material, MeshBasicMaterial, MeshLambertMaterial, PointsMaterial, type Texture } from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { night } from '../../theme/tokens';

/**
 * The materials of one picture, each made once and kept: when the last material of a kind is disposed, its
 * shader goes too and is compiled anew with the next one, which takes longer than a whole picture.
 */
export class Materials {
  private readonly made = new Map<string, Material>();

  private once<M extends Material>(key: string, make: () => M): M {
    const known = this.made.get(key) as M | undefined;
    if (known) return known;
    const fresh = make();
    this.made.set(key, fresh);
    return fresh;
  }

  /** A line of some pixels; one that is `over` others is drawn after what is seen through. */
  line(colour: string, width: number, opacity: number, over = false): LineMaterial {
    return this.once(`line ${colour} ${width} ${opacity} ${over}`, () => new LineMaterial({ color: new Color(colour).getHex(), linewidth: width, transparent: over || opacity < 1, opacity, depthWrite: opacity === 1 }));
  }

  /** Lines whose ends have colours of their own. */
  axes(): LineMaterial {
    return this.once('axes', () => new LineMaterial({ vertexColors: true, linewidth: 2, transparent: true }));
  }

  thin(colour: string, opacity: number): LineBasicMaterial {
    return this.once(`thin ${colour} ${opacity}`, () => new LineBasicMaterial({ color: colour, transparent: true, opacity }));
  }

  body(lit: boolean): MeshLambertMaterial {
    return this.once(`body ${lit}`, () => new MeshLambertMaterial({ color: night.paper, vertexColors: true, flatShading: true, emissive: lit ? new Color(0x6b5530) : new Color(0) }));
  }

  ghost(): MeshBasicMaterial {
    return this.once('ghost', () => new MeshBasicMaterial({ color: night.paper, transparent: true, opacity: 0.13, depthWrite: false }));
  }

  glow(size: number, map: Texture): PointsMaterial {
    return this.once(`glow ${size}`, () => new PointsMaterial({ map, size, transparent: true, depthWrite: false, blending: AdditiveBlending, color: night.lamp, opacity: 0.75 }));
  }

  /** The picture's size in pixels, which lines of some pixels need to know. */
  resize(width: number, height: number): void {
    for (const material of this.made.values()) if (material instanceof LineMaterial) material.resolution.set(width, height);
  }

  dispose(): void {
    for (const material of this.made.values()) material.dispose();
    this.made.clear();
  }
}
