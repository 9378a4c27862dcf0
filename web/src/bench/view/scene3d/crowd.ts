import { Box3, BufferAttribute, BufferGeometry, Color, DynamicDrawUsage, Group, InstancedBufferAttribute, InstancedMesh, Matrix4, Points, Raycaster, Sphere, Vector3, type Material } from 'three';
import type { Contact, KindReport } from '../../../api/types';
import type { Body } from '../../../scene/taken/bodies';
import { firstHere, isHere, numberOf, scaleAlong, startOf, type Poses } from '../../../scene/taken/poses';
import type { Eye } from './eye';
import { glowTexture } from './glow';
import { placeOf } from './lines';
import { CLIP_ATTRIBUTE, CORNER, animatedOf, type Animated, type Posing } from './shapes/clips';
import { CUT_ATTRIBUTE, type Materials } from './materials';
import { partsOf, type Part } from './shapes/models';
import { MOST_DETAILED, Needles } from './needles';
import { matrixOf, nothing, scratch } from './posing';
import { Chains, bentParts } from './shapes/bent';
import { dentedGeometry } from './shapes/dented';
import { glyphGeometry } from './shapes/glyph';
import { drawAs, levelOf, simpler, wholeOf } from './shapes/simpler';
import { thingGeometry } from './shapes/things';
import { Bones, walkedParts } from './shapes/walked';
import { Trail } from './trail';
import { boxOf, carriedHits, carryAt, clipAt, cutAt, dentAt, renew, type Skin, type Troop } from './troop';

/** How one motion is shown. */
export interface Shown {
  node: string;
  kind: string;
  size: number;
  contacts: Contact[];
  /** Draw where the things go, when they ride on no path. */
  wake: boolean;
  /** The sign that a letter is. */
  letter: string;
  /** The model that is shown as it is, and which of its sides go ahead and up. */
  model: { hash: string; nose: string; top: string } | null;
  /** The kinds that things are of, if there are any. */
  kinds: KindReport[];
  /** Hashes of files by name, of models whose clips kinds play. */
  files: Record<string, string>;
  /** The bodies of kinds that are dented, as far as they have come. */
  bodies: (Body | null)[];
}

/** What a whole picture shows beside the things themselves. */
export interface Extras {
  ghosts: boolean;
  axes: boolean;
  /** The axes that this thing has along its way. */
  along: boolean;
  thing: { node: string; object: number } | null;
  /** Frames that a trail of light is long; 0 for none. */
  exposure: number;
  /** The picture goes along with it. */
  goesAlong: boolean;
}

/** Lanterns up to which each has a light of its own. */
const MOST_LIT = 100;
/** Frames before and after at which ghosts stand. */
const GHOSTS = [-12, -8, -4, 4, 8, 12];
/** Corners of triangles that the ghosts of a kind have in all at most: a heavy model has none. */
const MOST_GHOSTLY = 300_000;
const lookOf = (shown: Shown): string => `${shown.kind} ${shown.kind === 'letter' ? shown.letter : ''} ${shown.model ? `${shown.model.hash} ${shown.model.nose} ${shown.model.top}` : ''} ${JSON.stringify(shown.kinds)} ${JSON.stringify(shown.files)}`;

/** The things of one motion. */
export class Crowd {
  readonly group = new Group();
  private troops: Troop[] = [];
  private under: InstancedMesh[] = [];
  private glow: Points | null = null;
  private lit: number[] = [];
  /** What things without a kind of their own are drawn as. */
  private own: Part[] | null = null;
  private of: number[] = [];
  /** Models whose clips are played, by kind. */
  private readonly played = new Map<number, Animated>();
  /** Forms that are bent, or walk, by kind. */
  private readonly carried = new Map<number, Part[]>();
  private readonly look: string;
  private readonly trail: Trail;
  private readonly needles: Needles;
  private gone = false;
  /** What the things looked like at last depended on. */
  private posed: unknown[] = [];
  /** The whole frame at which they were put last. */
  private now = 0;
  /** A ball around the places of all things, and the size of the largest, metres. */
  private readonly around = new Sphere();
  private largest = 0;

  constructor(
    public shown: Shown,
    readonly poses: Poses,
    readonly beneath: Poses | null,
    private readonly materials: Materials,
    private readonly changed: () => void,
    private readonly trouble: (why: string) => void,
  ) {
    this.look = lookOf(shown);
    this.trail = new Trail(this.group, materials);
    this.needles = new Needles(this.group, materials);
    if (shown.kind === 'own model' && shown.model) {
      partsOf(shown.model.hash, shown.model.nose, shown.model.top).then(
        (parts) => this.dress(parts),
        (error: unknown) => {
          this.trouble(error instanceof Error ? error.message : String(error));
          this.dress([{ geometry: thingGeometry('box'), material: null }]);
        },
      );
    } else {
      this.dress([{ geometry: thingGeometry(shown.kind === 'own model' ? 'box' : shown.kind), material: null }]);
    }
    this.bring();
  }

  /** Loads the models whose clips kinds play, and what is bent. */
  private bring(): void {
    const { kinds, files } = this.shown;
    const once = <T>(loading: Promise<T>, keep: (loaded: T) => void): void => {
      loading.then(
        (loaded) => {
          if (this.gone) return;
          keep(loaded);
          if (this.own) this.muster(this.of);
          this.posed = [];
          this.changed();
        },
        (error: unknown) => this.trouble(error instanceof Error ? error.message : String(error)),
      );
    };
    kinds.forEach(({ animated, bent, walked }, kind) => {
      if (animated) once(animatedOf(files[animated.file] ?? '', animated), (model) => this.played.set(kind, model));
      if (bent) once(bentParts(bent, files), (parts) => this.carried.set(kind, parts));
      if (walked) once(walkedParts(files[walked.file] ?? ''), (parts) => this.carried.set(kind, parts));
    });
  }

  /** Metres that are one in the form of things, as it is shown now. */
  private sizeOf(troop: Troop | undefined): number {
    return troop?.formed ? 1 : this.shown.size;
  }

  /** True when it shows these poses in this way already. */
  fits(shown: Shown, poses: Poses | undefined, beneath: Poses | undefined): boolean {
    if (shown.bodies.some((body, kind) => body !== this.shown.bodies[kind])) return false;
    return poses === this.poses && (beneath ?? null) === this.beneath && lookOf(shown) === this.look;
  }

  /** True where parts of things may be hidden. */
  get cuts(): boolean {
    return this.poses.offsets.cut !== undefined;
  }

  /** The kind of every thing, as the numbers of a frame say; all the same without kinds. */
  private kindsAt(frame: number): number[] {
    const { poses } = this;
    if (this.shown.kinds.length === 0) return new Array<number>(poses.things).fill(0);
    return Array.from({ length: poses.things }, (_, object) => numberOf(poses, 'kind', frame, object, 0));
  }

  private dress(parts: Part[]): void {
    if (this.gone) {
      parts.forEach(({ geometry }) => geometry.dispose());
      return;
    }
    this.own = parts;
    this.under = this.beneath ? parts.map((part) => this.instanced(part.geometry, this.materials.beneath(), Math.min(this.beneath?.things ?? 0, 4000))) : [];
    this.muster(this.kindsAt(firstHere(this.poses)));
    this.changed();
  }

  private instanced(geometry: BufferGeometry, material: Material, count: number): InstancedMesh {
    const mesh = new InstancedMesh(geometry, material, count);
    mesh.frustumCulled = false;
    mesh.instanceMatrix.setUsage(DynamicDrawUsage);
    this.group.add(mesh);
    return mesh;
  }

  /** Things of which a part may be hidden, or that clips move. */
  private shaped(geometry: BufferGeometry, material: Material, count: number, posing: Posing | null): InstancedMesh {
    if (!this.cuts && !posing) return this.instanced(geometry, material, count);
    // What stands for each thing belongs to the form: every mesh has one of its own, of the same corners.
    const own = new BufferGeometry().setIndex(geometry.index);
    for (const [name, attribute] of Object.entries(geometry.attributes)) own.setAttribute(name, attribute);
    const each = (width: number) => new InstancedBufferAttribute(new Float32Array(width * count), width).setUsage(DynamicDrawUsage);
    if (this.cuts) own.setAttribute(CUT_ATTRIBUTE, each(4));
    if (posing) own.setAttribute(CLIP_ATTRIBUTE, each(2));
    const normals = own.hasAttribute(CORNER.normal);
    return this.instanced(own, this.materials.shaped(material, this.cuts, posing, normals), count);
  }

  /** Puts the things that are drawn alike together. */
  private muster(of: number[]): void {
    this.disband();
    this.of = of;
    const { shown, poses } = this;
    const detailed = poses.things <= MOST_DETAILED;
    for (const kind of [...new Set(of)].sort((a, b) => a - b)) {
      const objects = of.flatMap((other, object) => (other === kind ? [object] : []));
      const told = shown.kinds[kind];
      if (told?.dented) {
        const body = shown.bodies[kind];
        // Each has a form of its own.
        if (body?.corners === told.dented.corners) this.troops.push(...objects.map((object) => this.dimpled(object, { body, deepest: told.dented?.deepest ?? 0 }, told.colour)));
        continue;
      }
      const [bent, walked, glyph] = [told?.bent ?? null, told?.walked ?? null, told?.glyph ?? null];
      // These have a size of their own.
      const formed = bent !== null || walked !== null || glyph !== null;
      const thing = formed ? '' : told?.thing || shown.kind;
      const sign = [...(told?.letter || shown.letter)][0] ?? ' ';
      const played = this.played.get(kind);
      // Nothing is shown of what plays clips, is bent or walks until it is here.
      const parts: Part[] = glyph ? [{ geometry: glyphGeometry(glyph), material: null }] : bent || walked ? (this.carried.get(kind) ?? []) : told?.animated ? (played?.parts ?? []) : told?.thing ? [{ geometry: thingGeometry(told.thing), material: null }] : (this.own ?? []);
      const corners = parts.reduce((sum, { geometry }) => sum + (geometry.index ?? geometry.getAttribute('position')).count, 0);
      const ghosts = detailed && corners * objects.length * GHOSTS.length <= MOST_GHOSTLY ? objects.length * GHOSTS.length : 0;
      const rows = objects.length + ghosts;
      const skin: Skin | null = bent ? new Chains(rows, bent.joints, bent.length) : walked ? new Bones(rows, walked.bones) : null;
      const posing = skin?.posing ?? played?.posing ?? null;
      const colours: Troop['colours'] = told?.colour ? [new Color(told.colour), new Color(told.last || told.colour)] : null;
      const dyed = colours !== null || bent !== null;
      const material = (part: Part): Material => part.material ?? (thing === 'letter' ? this.materials.letter(sign, dyed) : this.materials.body(thing === 'lantern', dyed));
      this.troops.push({
        objects,
        colours,
        posing,
        skin,
        dented: null,
        formed,
        // Parts of things may be hidden, and clips move them: these have a form of their own for each.
        simple: detailed || this.cuts || posing || formed || parts.some(({ material }) => material) ? null : thing,
        meshes: parts.map((part) => Object.assign(this.shaped(part.geometry, material(part), objects.length, posing), { userData: { objects } })),
        ghosts: ghosts > 0 ? parts.map((part) => this.shaped(part.geometry, this.materials.ghost(), ghosts, posing)) : [],
      });
      if (thing === 'lantern' && poses.things <= MOST_LIT && !told?.animated) this.lit.push(...objects);
    }
    if (this.lit.length > 0) {
      const points = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(this.lit.length * 3), 3));
      this.glow = new Points(points, this.materials.glow(2.6 * this.shown.size, glowTexture()));
      this.glow.frustumCulled = false;
      this.group.add(this.glow);
    }
  }

  /** A thing that is dented. */
  private dimpled(object: number, dented: NonNullable<Troop['dented']>, colour: string): Troop {
    const mesh = this.shaped(dentedGeometry(dented.body), this.materials.surface(), 1, null);
    const meshes = [Object.assign(mesh, { userData: { objects: [object] } })];
    const colours: Troop['colours'] = [new Color(colour), new Color(colour)];
    return { objects: [object], meshes, ghosts: [], posing: null, skin: null, dented, formed: true, simple: null, colours };
  }

  private disband(): void {
    for (const { meshes, ghosts, skin } of this.troops) {
      if (skin) this.materials.forget(skin.posing);
      for (const mesh of [...meshes, ...ghosts]) {
        this.group.remove(mesh);
        const whole = wholeOf(mesh);
        if (!this.own?.some((part) => part.geometry === whole)) whole.dispose();
        mesh.dispose();
      }
    }
    this.troops = [];
    this.lit = [];
    if (this.glow) {
      this.group.remove(this.glow);
      this.glow.geometry.dispose();
      this.glow = null;
    }
  }

  dispose(): void {
    this.gone = true;
    this.disband();
    for (const mesh of this.under) mesh.dispose();
    for (const part of this.own ?? []) part.geometry.dispose();
    this.trail.dispose();
    this.needles.dispose();
  }

  private whole(frame: number, poses = this.poses): number {
    return Math.min(poses.frames - 1, Math.floor(frame));
  }

  /** What the things look like at a frame depends on: their numbers only at this frame, unless some are drawn at others. */
  private reasons(frame: number, extras: Extras): unknown[] {
    const { poses, beneath, shown, own } = this;
    const many = extras.ghosts || extras.exposure > 0 || (extras.along && extras.thing?.node === shown.node);
    const at = (of: Poses | null) => of && (many ? of.came : of.times[this.whole(frame, of)]);
    return [many ? frame : this.whole(frame), at(poses), at(beneath), extras, shown, own];
  }

  /** True where the things would look otherwise if they were put where they are at a frame. */
  isStale(frame: number, extras: Extras): boolean {
    return this.reasons(frame, extras).some((reason, i) => reason !== this.posed[i]);
  }

  /** Puts the things where they are at a frame. */
  pose(frame: number, extras: Extras): void {
    // Of very many it takes long, and a picture is drawn anew for other reasons too.
    if (!this.isStale(frame, extras)) return;
    this.posed = this.reasons(frame, extras);
    const { poses, shown, beneath } = this;
    const now = this.whole(frame);
    this.now = now;
    if (isHere(poses, now) && this.own) {
      const of = this.kindsAt(now);
      if (of.some((kind, object) => kind !== this.of[object])) this.muster(of);
      const box = new Box3();
      this.largest = 0;
      for (const troop of this.troops) {
        troop.objects.forEach((object, i) => {
          const matrix = matrixOf(poses, now, object, this.sizeOf(troop));
          const { position, scale } = scratch;
          if (scale.x > 0) box.expandByPoint(position);
          this.largest = Math.max(this.largest, scale.x, scale.y, scale.z);
          carryAt(poses, troop, troop.meshes, i, i, now, object);
          dentAt(poses, troop, now, object);
          for (const mesh of troop.meshes) mesh.setMatrixAt(i, matrix);
          cutAt(poses, troop.meshes, shown.size, i, now, object);
          clipAt(poses, troop.meshes, troop.posing, i, now, object);
        });
        renew(troop.meshes);
        this.dye(troop, now);
      }
      box.getBoundingSphere(this.around);
    }
    if (beneath && this.under[0]) {
      const then = this.whole(frame, beneath);
      for (let object = 0; object < this.under[0].count; object += 1) {
        const matrix = isHere(beneath, then) ? matrixOf(beneath, then, object, shown.size) : nothing;
        for (const mesh of this.under) mesh.setMatrixAt(object, matrix);
      }
      renew(this.under);
    }
    if (this.glow && isHere(poses, now)) this.light(now);
    this.needles.showWay(poses, shown.size, extras.along && extras.thing?.node === shown.node ? extras.thing.object : null);
    this.showGhosts(now, extras.ghosts);
    this.trail.show(poses, shown.wake, frame, extras.exposure);
    this.needles.showNoses(poses, shown.size, now, extras.axes, extras.thing?.node === shown.node ? extras.thing.object : null);
  }

  /** Draws things more simply where all of them are small in the picture. */
  simplify(eye: Eye): void {
    const nearest = this.around.center.clone().addScaledVector(eye.sight(), -Math.max(0, this.around.radius));
    const level = levelOf(this.largest / eye.metresPerPixelAt(nearest));
    for (const { simple, meshes } of this.troops) {
      const form = simple === null ? null : simpler(simple, level);
      if (simple !== null) for (const mesh of meshes) drawAs(mesh, form);
    }
  }

  /** Gives every thing its colour, which may change from frame to frame. */
  private dye({ colours, meshes, objects }: Troop, frame: number): void {
    const { poses } = this;
    const shines = poses.offsets.brightness !== undefined;
    if (!colours && !shines) return;
    objects.forEach((object, i) => {
      if (colours) scratch.colour.lerpColors(colours[0], colours[1], numberOf(poses, 'tint', frame, object, 0));
      else scratch.colour.set(0xffffff);
      if (shines) scratch.colour.multiplyScalar(numberOf(poses, 'brightness', frame, object, 1));
      for (const mesh of meshes) mesh.setColorAt(i, scratch.colour);
    });
    for (const mesh of meshes) if (mesh.instanceColor) mesh.instanceColor.needsUpdate = true;
  }

  private showGhosts(frame: number, wanted: boolean): void {
    const { poses, shown } = this;
    const troops = this.troops.filter(({ ghosts }) => ghosts.length > 0);
    for (const { ghosts } of troops) for (const mesh of ghosts) mesh.visible = wanted;
    if (!wanted) return;
    const loop = Math.max(1, poses.frames - 1);
    GHOSTS.forEach((offset, g) => {
      const at = frame + offset;
      const inside = at >= 0 && at < loop;
      const wrapped = ((at % loop) + loop) % loop;
      const visible = (inside || !shown.wake) && isHere(poses, wrapped);
      for (const troop of troops) {
        const { ghosts, objects, posing } = troop;
        objects.forEach((object, i) => {
          const instance = g * objects.length + i;
          const matrix = visible ? matrixOf(poses, wrapped, object, this.sizeOf(troop)) : nothing;
          for (const mesh of ghosts) mesh.setMatrixAt(instance, matrix);
          if (!visible) return;
          cutAt(poses, ghosts, shown.size, instance, wrapped, object);
          clipAt(poses, ghosts, posing, instance, wrapped, object);
          carryAt(poses, troop, ghosts, instance, objects.length + instance, wrapped, object);
        });
      }
    });
    for (const { ghosts } of troops) renew(ghosts);
  }

  private light(frame: number): void {
    const attribute = this.glow?.geometry.getAttribute('position') as BufferAttribute;
    const { poses, shown } = this;
    this.lit.forEach((object, i) => {
      const start = startOf(poses, 'position', frame, object) ?? 0;
      const [x, y, z] = [poses.numbers[start] ?? 0, poses.numbers[start + 1] ?? 0, poses.numbers[start + 2] ?? 0];
      attribute.setXYZ(i, x, y - 0.62 * shown.size * scaleAlong(poses, 1, frame, object), z);
    });
    attribute.needsUpdate = true;
  }

  /** The thing that a ray meets first. */
  hit(caster: Raycaster): { object: number; distance: number } | null {
    const hits = caster.intersectObjects(this.troops.flatMap(({ meshes, skin }) => (skin ? [] : meshes)), false);
    const first = hits.find((hit) => hit.instanceId !== undefined);
    const { objects } = (first?.object.userData ?? { objects: [] }) as { objects: number[] };
    const met = first?.instanceId === undefined ? [] : [{ object: objects[first.instanceId] ?? 0, distance: first.distance }];
    met.push(...this.troops.flatMap((troop) => (troop.skin ? carriedHits(this.poses, caster, troop, this.now) : [])));
    return met.sort((a, b) => a.distance - b.distance)[0] ?? null;
  }

  /** Where a thing stands at a frame. */
  at(object: number, frame: number): Vector3 | null {
    return placeOf(this.poses, object, Math.floor(frame));
  }

  /** The box around a thing in its own axes and sizes. */
  box(object: number): Box3 | null {
    const troop = this.troops.find(({ objects }) => objects.includes(object));
    if (!troop || troop.meshes.length === 0) return null;
    const box = new Box3();
    for (const mesh of troop.meshes) box.union(boxOf(this.poses, troop, mesh, object, this.now) ?? new Box3());
    return box;
  }

  /** How a thing stands at a frame, with its size. */
  matrix(object: number, frame: number): Matrix4 | null {
    const now = Math.floor(frame);
    if (object >= this.poses.things || !isHere(this.poses, now)) return null;
    const troop = this.troops.find(({ objects }) => objects.includes(object));
    return matrixOf(this.poses, now, object, this.sizeOf(troop)).clone();
  }
}
