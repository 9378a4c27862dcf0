import { AdditiveBlending, CanvasTexture, Color, DoubleSide, LineBasicMaterial, Material, MeshBasicMaterial, MeshLambertMaterial, MeshPhongMaterial, PointsMaterial, Vector3, type Texture } from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { night } from '../../../theme/tokens';
import { posedShader, type Posing } from './shapes/clips';

/** The attribute of an instance that says where it is cut off: a normal in its own axes, and how far out it is. */
export const CUT_ATTRIBUTE = 'cutOff';

/** Materials without joints that are kept at most. */
const MOST_SPARE = 12;

/**
 * The materials of one picture, each made once and kept: when the last material of a kind is disposed, its
 * shader goes too and is compiled anew with the next one, which takes longer than a whole picture.
 */
export class Materials {
  private readonly made = new Map<string, Material>();
  /** Those whose joints are gone, each with what it is like: the next that is like it is made of them. */
  private readonly spare: { like: string; material: Material }[] = [];

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

  /** A line with gaps, each as long as its stitches, metres. */
  dashed(colour: string, width: number, opacity: number): LineMaterial {
    return this.once(`dashed ${colour} ${width} ${opacity}`, () => new LineMaterial({ color: new Color(colour).getHex(), linewidth: width, transparent: true, opacity, depthWrite: false, dashed: true, dashSize: 0.12, gapSize: 0.12 }));
  }

  /** Lines whose ends have colours of their own. */
  axes(): LineMaterial {
    return this.once('axes', () => new LineMaterial({ vertexColors: true, linewidth: 2, transparent: true }));
  }

  /** Light that was left behind: it adds to what is there. */
  trail(): LineMaterial {
    return this.once('trail', () => new LineMaterial({ vertexColors: true, linewidth: 2.6, transparent: true, depthWrite: false, blending: AdditiveBlending }));
  }

  thin(colour: string, opacity: number): LineBasicMaterial {
    return this.once(`thin ${colour} ${opacity}`, () => new LineBasicMaterial({ color: colour, transparent: true, opacity }));
  }

  /** `dyed` things bring colours of their own. */
  body(lit: boolean, dyed: boolean): MeshLambertMaterial {
    return this.once(`body ${lit} ${dyed}`, () => new MeshLambertMaterial({ color: dyed ? '#fff' : night.paper, vertexColors: true, flatShading: true, emissive: lit ? new Color(dyed ? 0x2c2418 : 0x6b5530) : new Color(0) }));
  }

  /** Of one piece and smooth, seen from both sides. */
  surface(): MeshPhongMaterial {
    return this.once('surface', () => new MeshPhongMaterial({ color: '#fff', vertexColors: true, side: DoubleSide, specular: 0x3a3a3a, shininess: 30 }));
  }

  /** A letter, seen from both sides. */
  letter(sign: string, dyed: boolean): MeshBasicMaterial {
    return this.once(`letter ${sign} ${dyed}`, () => new MeshBasicMaterial({ color: dyed ? '#fff' : night.paper, map: letterTexture(sign), alphaTest: 0.4, side: DoubleSide }));
  }

  /**
   * As another material, for things that may be cut off, of which what lies beyond is not drawn and the inside is seen, and for
   * those that clips move, whose corners have normals of their own or not.
   */
  shaped<M extends Material>(plain: M, cuts: boolean, posing: Posing | null, normals: boolean): M {
    const like = `shaped ${plain.uuid} ${cuts} ${normals} ${posing !== null} ${posing?.between === 0} ${posing?.overLine}`;
    return this.once(`${like} ${posing?.texture.uuid ?? ''}`, () => {
      const spare = this.spare.findIndex((other) => other.like === like);
      if (posing && spare >= 0) return posedBy(this.spare.splice(spare, 1)[0]?.material as M, posing);
      const material = plain.clone();
      if (posing) posedBy(material, posing);
      // What is bent is closed: its far side would flicker through a thin one.
      if (cuts || !posing?.overLine) material.side = DoubleSide;
      // Its ghosts lie in the same surface: they stay behind it.
      if (posing?.overLine && plain.depthWrite) Object.assign(material, { polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -500 });
      material.onBeforeCompile = (shader) => {
        if (posing) {
          const { poses, posesOf } = material.userData as Posed;
          Object.assign(shader.uniforms, { poses, posesOf });
        }
        if (cuts) {
          shader.vertexShader = `attribute vec4 ${CUT_ATTRIBUTE};\nvarying float within;\n${shader.vertexShader}`.replace('#include <project_vertex>', `within = ${CUT_ATTRIBUTE}.w - dot(${CUT_ATTRIBUTE}.xyz, transformed);\n#include <project_vertex>`);
        }
        if (posing) shader.vertexShader = posedShader(shader.vertexShader, normals, posing.between === 0);
        if (!cuts) return;
        shader.fragmentShader = `varying float within;\n${shader.fragmentShader}`.replace('#include <clipping_planes_fragment>', 'if (within < 0.0) discard;\n#include <clipping_planes_fragment>');
      };
      material.customProgramCacheKey = () => `shaped ${cuts} ${posing !== null} ${posing?.between === 0} ${normals}`;
      return material;
    });
  }

  /** Lets go of what was made for joints that are gone. */
  forget({ texture }: Posing): void {
    for (const [key, material] of this.made) {
      if (!key.endsWith(texture.uuid)) continue;
      this.made.delete(key);
      this.spare.push({ like: key.slice(0, -texture.uuid.length - 1), material });
    }
    for (const { material } of this.spare.splice(0, this.spare.length - MOST_SPARE)) material.dispose();
    texture.dispose();
  }

  ghost(): MeshBasicMaterial {
    return this.once('ghost', () => new MeshBasicMaterial({ color: night.paper, transparent: true, opacity: 0.13, depthWrite: false }));
  }

  /** Things of the version that is laid beneath. */
  beneath(): MeshBasicMaterial {
    return this.once('beneath', () => new MeshBasicMaterial({ color: night.edge, transparent: true, opacity: 0.38, depthWrite: false }));
  }

  glow(size: number, map: Texture): PointsMaterial {
    return this.once(`glow ${size}`, () => new PointsMaterial({ map, size, transparent: true, depthWrite: false, blending: AdditiveBlending, color: night.lamp, opacity: 0.75 }));
  }

  /** The picture's size in pixels, which lines of some pixels need to know. */
  resize(width: number, height: number): void {
    for (const material of this.made.values()) if (material instanceof LineMaterial) material.resolution.set(width, height);
  }

  dispose(): void {
    for (const material of this.made.values()) {
      if (material instanceof MeshBasicMaterial) material.map?.dispose();
      material.dispose();
    }
    for (const { material } of this.spare) material.dispose();
    this.made.clear();
    this.spare.length = 0;
  }
}

/** What a material reads joints from: kept with it, so that others can be put there without compiling its shader again. */
interface Posed {
  poses: { value: Texture };
  posesOf: { value: Vector3 };
}

/** A material that reads the joints of these. */
function posedBy<M extends Material>(material: M, { texture, rows, layers, bones }: Posing): M {
  const posed = material.userData as Posed;
  posed.poses = Object.assign(posed.poses ?? {}, { value: texture });
  posed.posesOf = Object.assign(posed.posesOf ?? {}, { value: new Vector3(rows.length, layers, bones) });
  return material;
}

function letterTexture(sign: string): CanvasTexture {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 256;
  const pen = canvas.getContext('2d');
  if (pen) {
    pen.fillStyle = '#fff';
    pen.font = '700 230px "Bricolage Grotesque Variable", sans-serif';
    pen.textAlign = 'center';
    pen.textBaseline = 'alphabetic';
    const measure = pen.measureText(sign);
    pen.fillText(sign, 128, 128 + (measure.actualBoundingBoxAscent - measure.actualBoundingBoxDescent) / 2);
  }
  return new CanvasTexture(canvas);
}
