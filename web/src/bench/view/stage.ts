import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  CanvasTexture,
  Color,
  DirectionalLight,
  DynamicDrawUsage,
  Group,
  HemisphereLight,
  InstancedMesh,
  InterleavedBufferAttribute,
  LineSegments,
  Material,
  Matrix4,
  MOUSE,
  Object3D,
  OrthographicCamera,
  PerspectiveCamera,
  Plane,
  Points,
  Quaternion,
  Raycaster,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { Line2 } from 'three/addons/lines/Line2.js';
import { LineGeometry } from 'three/addons/lines/LineGeometry.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import { POSE_FLOATS } from '../../api/blocks';
import type { Contact } from '../../api/types';
import type { PathBlock, Poses } from '../../scene/store';
import { note } from '../../measure';
import { night } from '../../theme/tokens';
import { Materials } from './materials';
import { thingGeometry } from './things';

export type Look = 'free' | 'top' | 'front' | 'side';

/** How one motion is shown. */
export interface Shown {
  node: string;
  kind: string;
  size: number;
  contacts: Contact[];
  /** Draw where the things go, when they ride on no path. */
  wake: boolean;
}

interface Crowd {
  shown: Shown;
  poses: Poses;
  mesh: InstancedMesh;
  ghosts: InstancedMesh;
  glow: Points | null;
  group: Group;
}

/** Frames before and after at which ghosts stand. */
const GHOSTS = [-12, -8, -4, 4, 8, 12];
/** With more things than this, ghosts and axes would only be a fog. */
const MOST_DETAILED = 400;

/** The picture in space: owns the graphics context, knows no component. */
export class Stage {
  ghosts = true;
  axes = true;
  look: Look = 'free';
  private flat = false;
  private frame = 0;
  private selected: string | null = null;
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly perspective = new PerspectiveCamera(38, 1, 0.01, 5000);
  private readonly orthographic = new OrthographicCamera(-1, 1, 1, -1, -5000, 5000);
  private camera: PerspectiveCamera | OrthographicCamera = this.perspective;
  private controls: OrbitControls;
  private readonly ground = new Group();
  private readonly lines = new Group();
  private readonly crowds = new Map<string, Crowd>();
  private axesLines: LineSegments2 | null = null;
  private readonly pins = new Map<HTMLElement, () => Vector3 | null>();
  private readonly materials = new Materials();
  private readonly listeners = new Set<() => void>();
  private paths: Record<string, PathBlock> = {};
  private picture = { width: 16, height: 9 };
  private request = 0;
  private width = 1;
  private height = 1;
  private fitted = false;

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.renderer.setClearColor(0, 0);
    this.scene.add(new HemisphereLight(0xfff4df, 0x4a4f80, 2.2));
    const sun = new DirectionalLight(0xfff1d8, 1.6);
    sun.position.set(4, 9, 6);
    this.scene.add(sun, this.ground, this.lines);
    this.controls = this.newControls();
  }

  private newControls(): OrbitControls {
    const controls = new OrbitControls(this.camera, this.canvas);
    controls.zoomToCursor = true;
    controls.enableDamping = false;
    const turns = this.look === 'free' && !this.flat;
    controls.enableRotate = turns;
    controls.mouseButtons = { LEFT: turns ? MOUSE.ROTATE : MOUSE.PAN, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN };
    controls.addEventListener('change', () => this.invalidate());
    return controls;
  }

  /** Calls back after every picture. */
  onPicture(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /**
   * Keeps an element over a place in space. With `data-room`, the pixels that it takes to the right, it is
   * `flipped` where they are not there.
   */
  pin(element: HTMLElement, place: () => Vector3 | null): () => void {
    this.pins.set(element, place);
    this.invalidate();
    return () => this.pins.delete(element);
  }

  resize(width: number, height: number): void {
    this.width = Math.max(1, width);
    this.height = Math.max(1, height);
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio || 1));
    this.renderer.setSize(this.width, this.height, false);
    this.aspect();
    if (!this.fitted) this.fit();
    this.invalidate();
  }

  private aspect(): void {
    const aspect = this.width / this.height;
    this.perspective.aspect = aspect;
    this.perspective.updateProjectionMatrix();
    const half = (this.orthographic.top - this.orthographic.bottom) / 2;
    this.orthographic.left = -half * aspect;
    this.orthographic.right = half * aspect;
    this.orthographic.updateProjectionMatrix();
    this.materials.resize(this.width, this.height);
  }

  setScene(flat: boolean, picture: { width: number; height: number }): void {
    const changed = flat !== this.flat || picture.width !== this.picture.width || picture.height !== this.picture.height;
    this.picture = picture;
    if (flat !== this.flat) {
      this.flat = flat;
      this.setLook(flat ? 'front' : 'free');
    }
    if (changed || this.ground.children.length === 0) this.layGround();
  }

  /** Turns to a view; free is in perspective, the others are not. */
  setLook(look: Look): void {
    this.look = look;
    this.camera = look === 'free' ? this.perspective : this.orthographic;
    this.controls.dispose();
    this.controls = this.newControls();
    this.fit();
  }

  setPaths(paths: Record<string, PathBlock>, selected: string | null): void {
    if (paths === this.paths && selected === this.selected) return;
    this.paths = paths;
    this.selected = selected;
    this.redrawLines();
  }

  /** What moves, and how it is shown. */
  setCrowds(list: Shown[], poses: Record<string, Poses>): void {
    for (const [node, crowd] of this.crowds) {
      const wanted = list.find((shown) => shown.node === node);
      const same = wanted && poses[node] === crowd.poses && wanted.kind === crowd.shown.kind;
      if (!same) this.drop(node, crowd);
    }
    for (const shown of list) {
      const data = poses[shown.node];
      if (!data) continue;
      const known = this.crowds.get(shown.node);
      if (known) known.shown = shown;
      else this.crowds.set(shown.node, this.crowd(shown, data));
    }
    this.redrawLines();
    if (!this.fitted) this.fit();
  }

  private crowd(shown: Shown, poses: Poses): Crowd {
    const geometry = thingGeometry(shown.kind);
    const lit = shown.kind === 'lantern';
    const mesh = new InstancedMesh(geometry, this.materials.body(lit), poses.things);
    mesh.frustumCulled = false;
    mesh.instanceMatrix.setUsage(DynamicDrawUsage);
    const detailed = poses.things <= MOST_DETAILED;
    const ghosts = new InstancedMesh(geometry, this.materials.ghost(), detailed ? poses.things * GHOSTS.length : 0);
    ghosts.frustumCulled = false;
    const group = new Group();
    group.add(mesh, ghosts);
    let glow: Points | null = null;
    if (lit && detailed) {
      const points = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(poses.things * 3), 3));
      glow = new Points(points, this.materials.glow(2.6 * shown.size, glowTexture()));
      glow.frustumCulled = false;
      group.add(glow);
    }
    this.scene.add(group);
    return { shown, poses, mesh, ghosts, glow, group };
  }

  private drop(node: string, crowd: Crowd): void {
    crowd.mesh.geometry.dispose();
    crowd.mesh.dispose();
    crowd.ghosts.dispose();
    crowd.glow?.geometry.dispose();
    this.scene.remove(crowd.group);
    this.crowds.delete(node);
  }

  setFrame(frame: number): void {
    this.frame = frame;
    this.invalidate();
  }

  /** Draws soon, once however often it is asked. */
  invalidate(): void {
    if (this.request === 0) this.request = requestAnimationFrame(() => this.draw());
  }

  dispose(): void {
    cancelAnimationFrame(this.request);
    this.controls.dispose();
    for (const [node, crowd] of [...this.crowds]) this.drop(node, crowd);
    clear(this.lines);
    clear(this.ground);
    this.dropAxes();
    this.materials.dispose();
    this.renderer.dispose();
  }

  private draw(): void {
    this.request = 0;
    const begun = performance.now();
    for (const crowd of this.crowds.values()) this.pose(crowd);
    this.drawAxes();
    this.renderer.render(this.scene, this.camera);
    for (const [element, place] of this.pins) this.place(element, place());
    for (const listener of this.listeners) listener();
    note('picture', begun);
  }

  private place(element: HTMLElement, at: Vector3 | null): void {
    const screen = at && this.toScreen(at);
    element.style.visibility = screen ? 'visible' : 'hidden';
    if (!screen) return;
    element.style.transform = `translate(${screen.x.toFixed(1)}px, ${screen.y.toFixed(1)}px)`;
    const room = Number(element.dataset['room'] ?? 0);
    if (room > 0) element.classList.toggle('flipped', screen.x > this.width - room);
  }

  /** Pixels within the panel, or nothing for what lies behind the viewer. */
  toScreen(at: Vector3): Vector2 | null {
    const clip = at.clone().project(this.camera);
    if (clip.z > 1 || Math.abs(clip.x) > 1.4 || Math.abs(clip.y) > 1.4) return null;
    return new Vector2(((clip.x + 1) / 2) * this.width, ((1 - clip.y) / 2) * this.height);
  }

  /** Where a thing stands at the frame on screen. */
  thingAt(node: string, object: number): Vector3 | null {
    const poses = this.crowds.get(node)?.poses;
    const frame = Math.floor(this.frame);
    if (!poses || object >= poses.things || !poses.have[frame]) return null;
    const start = (frame * poses.things + object) * POSE_FLOATS;
    return new Vector3().fromArray(poses.numbers, start);
  }

  private pose(crowd: Crowd): void {
    const { poses, shown } = crowd;
    const frame = Math.min(poses.frames - 1, Math.floor(this.frame));
    if (poses.have[frame]) {
      for (let object = 0; object < poses.things; object += 1) crowd.mesh.setMatrixAt(object, matrixOf(poses, frame, object, shown.size));
      crowd.mesh.instanceMatrix.needsUpdate = true;
      crowd.mesh.boundingSphere = null;
    }
    if (crowd.glow) this.light(crowd, frame);
    crowd.ghosts.visible = this.ghosts;
    if (!this.ghosts || crowd.ghosts.count === 0) return;
    const loop = Math.max(1, poses.frames - 1);
    GHOSTS.forEach((offset, g) => {
      const at = frame + offset;
      const inside = at >= 0 && at < loop;
      const wrapped = ((at % loop) + loop) % loop;
      for (let object = 0; object < poses.things; object += 1) {
        const visible = (inside || !shown.wake) && poses.have[wrapped];
        crowd.ghosts.setMatrixAt(g * poses.things + object, visible ? matrixOf(poses, wrapped, object, shown.size) : nothing);
      }
    });
    crowd.ghosts.instanceMatrix.needsUpdate = true;
  }

  private light(crowd: Crowd, frame: number): void {
    const attribute = crowd.glow?.geometry.getAttribute('position') as BufferAttribute;
    const { poses, shown } = crowd;
    for (let object = 0; object < poses.things; object += 1) {
      const start = (frame * poses.things + object) * POSE_FLOATS;
      const [x = 0, y = 0, z = 0] = poses.numbers.subarray(start, start + 3);
      attribute.setXYZ(object, x, y - 0.62 * shown.size, z);
    }
    attribute.needsUpdate = true;
  }

  /** The nose of every thing in persimmon, its top in a faint tone. */
  private drawAxes(): void {
    const places: number[] = [];
    const colours: number[] = [];
    const [nose, top] = [new Color(night.persimmon), new Color(0x8f96c8)];
    if (this.axes) {
      for (const { poses, shown } of this.crowds.values()) {
        const frame = Math.min(poses.frames - 1, Math.floor(this.frame));
        if (poses.things > MOST_DETAILED || !poses.have[frame]) continue;
        for (let object = 0; object < poses.things; object += 1) {
          const matrix = matrixOf(poses, frame, object, shown.size);
          const from = new Vector3().setFromMatrixPosition(matrix);
          for (const [axis, colour, length] of [[new Vector3(1, 0, 0), nose, 1.3], [new Vector3(0, 1, 0), top, 0.7]] as const) {
            const to = axis.clone().multiplyScalar(length).applyMatrix4(matrix);
            places.push(from.x, from.y, from.z, to.x, to.y, to.z);
            colours.push(colour.r, colour.g, colour.b, colour.r, colour.g, colour.b);
          }
        }
      }
    }
    // A buffer of another length needs a line of its own.
    if (this.axesLines && this.axesLines.userData['length'] !== places.length) this.dropAxes();
    if (places.length === 0) return;
    if (!this.axesLines) {
      this.axesLines = new LineSegments2(new LineSegmentsGeometry().setPositions(places).setColors(colours), this.materials.axes());
      this.axesLines.userData['length'] = places.length;
      this.axesLines.frustumCulled = false;
      this.axesLines.renderOrder = 2;
      this.scene.add(this.axesLines);
    } else {
      const ends = this.axesLines.geometry.getAttribute('instanceStart') as InterleavedBufferAttribute;
      ends.data.array.set(places);
      ends.data.needsUpdate = true;
    }
    this.materials.resize(this.width, this.height);
  }

  private dropAxes(): void {
    if (!this.axesLines) return;
    this.scene.remove(this.axesLines);
    this.axesLines.geometry.dispose();
    this.axesLines = null;
  }

  private redrawLines(): void {
    clear(this.lines);
    for (const [node, block] of Object.entries(this.paths)) {
      let at = 0;
      for (const strand of block.header.strands) {
        const points = block.numbers.subarray(at, at + strand.points * 3);
        at += strand.points * 3;
        const path = this.fat(points, night.lamp, node === this.selected ? 3 : 2, 1, !this.flat);
        if (!this.flat) {
          const shadow = this.fat(Float32Array.from(points, (value, i) => (i % 3 === 1 ? 0 : value)), '#0b0e1c', 4, 0.5);
          // A path that lies on the ground is drawn over its own shadow.
          path.renderOrder = 1;
          this.lines.add(shadow);
        }
        this.lines.add(path);
      }
    }
    for (const { shown, poses } of this.crowds.values()) {
      if (!shown.wake) continue;
      this.lines.add(this.fat(wake(poses, shown.contacts), night.lamp, 1.6, 0.85));
      for (const contact of shown.contacts) if (contact.speed_in > 0.01) this.lines.add(this.contactMark(contact, shown.size));
    }
    this.aspect();
    this.invalidate();
  }

  private contactMark(contact: Contact, size: number): Line2 {
    const [place, normal] = [new Vector3(...(contact.place as [number, number, number])), new Vector3(...(contact.normal as [number, number, number]))];
    const along = Math.abs(normal.y) > 0.5 ? new Vector3(1, 0, 0) : new Vector3(0, 1, 0);
    const foot = place.addScaledVector(normal, -0.5 * size);
    const [a, b] = [foot.clone().addScaledVector(along, -0.55 * size), foot.clone().addScaledVector(along, 0.55 * size)];
    return this.fat(Float32Array.of(...a.toArray(), ...b.toArray()), night.persimmon, 4, 1);
  }

  private fat(points: Float32Array, colour: string, width: number, opacity: number, over = false): Line2 {
    const geometry = new LineGeometry();
    geometry.setPositions(points.length >= 6 ? points : Float32Array.of(0, 0, 0, 0, 0, 0));
    const line = new Line2(geometry, this.materials.line(colour, width, opacity, over));
    line.frustumCulled = false;
    return line;
  }

  /** Rings on the ground of a deep scene; the picture edge and a grid in a flat one. */
  private layGround(): void {
    clear(this.ground);
    const places: number[] = [];
    const segment = (...numbers: number[]) => places.push(...numbers);
    const { width, height } = this.picture;
    if (this.flat) {
      const step = niceStep(Math.max(width, height) / 12);
      for (let x = Math.ceil(-width / 2 / step) * step; x <= width / 2; x += step) segment(x, -height / 2, -0.01, x, height / 2, -0.01);
      for (let y = Math.ceil(-height / 2 / step) * step; y <= height / 2; y += step) segment(-width / 2, y, -0.01, width / 2, y, -0.01);
      this.ground.add(thin(places, this.materials.thin(night.faint, 0.28)));
      const [w, h] = [width / 2, height / 2];
      this.ground.add(this.fat(Float32Array.of(-w, -h, 0, w, -h, 0, w, h, 0, -w, h, 0, -w, -h, 0), night.edge, 1.6, 1));
    } else {
      const step = niceStep(this.reach() / 4);
      for (let ring = 1; ring <= 6; ring += 1) {
        for (let i = 0; i < 96; i += 1) {
          const [a, b] = [(i / 96) * 2 * Math.PI, ((i + 1) / 96) * 2 * Math.PI];
          segment(ring * step * Math.cos(a), 0, ring * step * Math.sin(a), ring * step * Math.cos(b), 0, ring * step * Math.sin(b));
        }
      }
      for (let i = 0; i < 12; i += 1) {
        const angle = (i / 12) * 2 * Math.PI;
        segment(0.5 * step * Math.cos(angle), 0, 0.5 * step * Math.sin(angle), 6 * step * Math.cos(angle), 0, 6 * step * Math.sin(angle));
      }
      this.ground.add(thin(places, this.materials.thin(night.faint, 0.55)));
    }
    this.invalidate();
  }

  /** Half the size of what there is to see, metres. */
  private reach(): number {
    const size = this.bounds().getSize(new Vector3());
    return Math.max(1, size.length() / 2);
  }

  private bounds(): Box3 {
    const box = new Box3();
    for (const block of Object.values(this.paths)) {
      for (let i = 0; i + 2 < block.numbers.length; i += 3) box.expandByPoint(new Vector3().fromArray(block.numbers, i));
    }
    for (const { poses, shown } of this.crowds.values()) {
      for (let frame = 0; frame < poses.frames; frame += Math.max(1, Math.floor(poses.frames / 24))) {
        if (!poses.have[frame]) continue;
        for (let object = 0; object < Math.min(64, poses.things); object += 1) {
          const at = new Vector3().fromArray(poses.numbers, (frame * poses.things + object) * POSE_FLOATS);
          if (!this.flat) box.expandByPoint(at.clone().addScalar(shown.size)).expandByPoint(at.addScalar(-shown.size));
        }
      }
    }
    if (this.flat) {
      box.expandByPoint(new Vector3(-this.picture.width / 2, -this.picture.height / 2, 0));
      box.expandByPoint(new Vector3(this.picture.width / 2, this.picture.height / 2, 0));
    }
    if (box.isEmpty()) box.set(new Vector3(-4, 0, -4), new Vector3(4, 1, 4));
    return box;
  }

  /** Shows everything. */
  fit(): void {
    this.fitted = this.crowds.size > 0 || Object.keys(this.paths).length > 0;
    const box = this.bounds();
    const [centre, size] = [box.getCenter(new Vector3()), box.getSize(new Vector3())];
    const aspect = this.width / this.height;
    this.controls.target.copy(centre);
    if (this.camera === this.perspective) {
      const direction = new Vector3(0.18, 0.72, 1).normalize();
      const tangent = Math.tan((this.perspective.fov / 2) * (Math.PI / 180));
      const across = Math.max(size.x / aspect, 0.62 * size.z + 0.8 * size.y, 1);
      this.camera.position.copy(centre).addScaledVector(direction, (across / 2 / tangent) * 1.12 + size.z / 2);
      this.perspective.near = Math.max(0.01, size.length() / 500);
      this.perspective.far = size.length() * 40 + 100;
      this.perspective.updateProjectionMatrix();
    } else {
      const [across, up] = this.look === 'top' ? [size.x, size.z] : this.look === 'side' ? [size.z, size.y] : [size.x, size.y];
      const half = Math.max(up / 2, across / 2 / aspect, 1e-3) * 1.16;
      Object.assign(this.orthographic, { top: half, bottom: -half, zoom: 1 });
      const direction = this.look === 'top' ? new Vector3(0, 1, 1e-6) : this.look === 'side' ? new Vector3(1, 0, 0) : new Vector3(0, 0, 1);
      this.camera.position.copy(centre).addScaledVector(direction, size.length() + 10);
      this.aspect();
    }
    this.controls.update();
    if (!this.flat) this.layGround();
    this.invalidate();
  }

  /** Metres per pixel where the camera looks at. */
  metresPerPixel(): number {
    if (this.camera === this.orthographic) return (this.orthographic.top - this.orthographic.bottom) / this.orthographic.zoom / this.height;
    const distance = this.camera.position.distanceTo(this.controls.target);
    return (2 * distance * Math.tan((this.perspective.fov / 2) * (Math.PI / 180))) / this.height;
  }

  /** The plane in which something at `through` is dragged; with `upright`, one that faces the viewer. */
  dragPlane(through: Vector3, upright: boolean): Plane {
    const sight = this.camera.getWorldDirection(new Vector3());
    if (this.look !== 'free' || this.flat) return new Plane().setFromNormalAndCoplanarPoint(sight.negate(), through);
    const normal = upright || Math.abs(sight.y) < 0.2 ? sight.setY(0).normalize().negate() : new Vector3(0, 1, 0);
    return new Plane().setFromNormalAndCoplanarPoint(normal, through);
  }

  /** The plane in which paths are drawn. */
  drawPlane(): Plane {
    const normal = this.flat || this.look === 'front' ? new Vector3(0, 0, 1) : this.look === 'side' ? new Vector3(1, 0, 0) : new Vector3(0, 1, 0);
    return new Plane(normal, 0);
  }

  /** Where the pointer meets a plane. */
  onPlane(clientX: number, clientY: number, plane: Plane): Vector3 | null {
    return this.ray(clientX, clientY).ray.intersectPlane(plane, new Vector3());
  }

  private ray(clientX: number, clientY: number): Raycaster {
    const box = this.canvas.getBoundingClientRect();
    const caster = new Raycaster();
    caster.setFromCamera(new Vector2(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2), this.camera);
    return caster;
  }

  /** The thing or the path under the pointer. */
  pick(clientX: number, clientY: number): { node: string; object: number | null } | null {
    const caster = this.ray(clientX, clientY);
    for (const [node, crowd] of this.crowds) {
      const hit = caster.intersectObject(crowd.mesh, false)[0];
      if (hit?.instanceId !== undefined) return { node, object: hit.instanceId };
    }
    const box = this.canvas.getBoundingClientRect();
    const at = new Vector2(clientX - box.left, clientY - box.top);
    for (const [node, block] of Object.entries(this.paths)) {
      for (let i = 0; i + 2 < block.numbers.length; i += 3) {
        const screen = this.toScreen(new Vector3().fromArray(block.numbers, i));
        if (screen && screen.distanceTo(at) < 10) return { node, object: null };
      }
    }
    return null;
  }
}

const nothing = new Matrix4().makeScale(0, 0, 0);
const scratch = { matrix: new Matrix4(), position: new Vector3(), turn: new Quaternion(), scale: new Vector3() };

function matrixOf(poses: Poses, frame: number, object: number, size: number): Matrix4 {
  const start = (frame * poses.things + object) * POSE_FLOATS;
  scratch.position.fromArray(poses.numbers, start);
  scratch.turn.fromArray(poses.numbers, start + 3);
  scratch.scale.setScalar((poses.numbers[start + 7] ?? 1) * size);
  return scratch.matrix.compose(scratch.position, scratch.turn, scratch.scale);
}

/** Where the things go, with the exact places of contacts in between. */
function wake(poses: Poses, contacts: Contact[]): Float32Array {
  const points: { frame: number; at: number[] }[] = [];
  for (let frame = 0; frame < poses.frames; frame += 1) {
    if (poses.have[frame]) points.push({ frame, at: [...poses.numbers.subarray(frame * poses.things * POSE_FLOATS, frame * poses.things * POSE_FLOATS + 3)] });
  }
  for (const contact of contacts) if (contact.object === 0) points.push({ frame: contact.frame, at: contact.place as number[] });
  points.sort((a, b) => a.frame - b.frame);
  return Float32Array.from(points.flatMap((point) => point.at));
}

function thin(places: number[], material: Material): LineSegments {
  const geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(places), 3));
  return new LineSegments(geometry, material);
}

function clear(group: Group): void {
  for (const child of [...group.children] as (Object3D & { geometry?: BufferGeometry })[]) {
    child.geometry?.dispose();
    group.remove(child);
  }
}

/** 1, 2 or 5 times a power of ten, at least the size asked for. */
export function niceStep(least: number): number {
  const power = 10 ** Math.floor(Math.log10(least));
  return ([1, 2, 5, 10].find((step) => step * power >= least - 1e-12) ?? 10) * power;
}

let glowPicture: CanvasTexture | null = null;

function glowTexture(): CanvasTexture {
  if (glowPicture) return glowPicture;
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 64;
  const pen = canvas.getContext('2d');
  if (pen) {
    const shade = pen.createRadialGradient(32, 32, 2, 32, 32, 32);
    shade.addColorStop(0, 'rgba(255,255,255,0.55)');
    shade.addColorStop(0.35, 'rgba(255,255,255,0.18)');
    shade.addColorStop(1, 'rgba(255,255,255,0)');
    pen.fillStyle = shade;
    pen.fillRect(0, 0, 64, 64);
  }
  glowPicture = new CanvasTexture(canvas);
  return glowPicture;
}
