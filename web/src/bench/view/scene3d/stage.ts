import { Box3, Group, Plane, Scene, Vector3, WebGLRenderer, type Matrix4 } from 'three';
import type { Camera as SceneCamera } from '../../../api/types';
import type { Poses } from '../../../scene/taken/poses';
import type { Compared, PathBlock } from '../../../scene/store';
import { note } from '../../../measure';
import { night } from '../../../theme/tokens';
import { haze, light } from './air';
import { Eye, type Look } from './eye';
import { Crowd, type Extras, type Shown } from './crowd';
import { layPen, layPicture, layPlane, layRings, niceStep } from './ground';
import { clear, coloured, fat, markOf, momentOf, pairs, piecesOf, placeOf, stationsOf, strandsAt, strandsOf, vectorsOf, wakeOf, thin } from './lines';
import { Materials } from './materials';
import { axesOf, type Axes } from '../geometry/plane';
import { freeLine } from '../geometry/names';
import { distanceToPiece } from '../geometry/piece';
import { plainPlane, type ViewSettings } from '../settings';

/** With more contacts their marks are small. */
const MANY_CONTACTS = 30;
/** With more strands they are hairlines without shadows: there is nothing to tell apart in them, and no end of it to draw. */
const MANY_STRANDS = 1000;

/** What the picture shows. */
export interface Wishes extends Extras {
  pathAxes: boolean;
  marks: boolean;
}

/** The picture in space: owns the graphics context, knows no component. */
export class Stage {
  private wishes: Wishes = { ghosts: true, axes: true, exposure: 0, pathAxes: false, along: false, thing: null, marks: true, goesAlong: false };
  private frame = 0;
  private selected: readonly string[] = [];
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  readonly eye: Eye;
  private readonly ground = new Group();
  private readonly surfaces = new Group();
  private readonly planeLines = new Group();
  private readonly pen = new Group();
  private readonly lines = new Group();
  private readonly crowds = new Map<string, Crowd>();
  private readonly pins = new Map<HTMLElement, () => Vector3 | null>();
  private readonly materials = new Materials();
  private readonly listeners = new Set<() => void>();
  private paths: Record<string, PathBlock> = {};
  private beneath: Compared | null = null;
  private work: Axes = axesOf(plainPlane);
  private planeShown = false;
  private moments = '';
  private request = 0;
  private fitted = false;
  private fittedTo = new Box3();
  /** Somebody has begun to work: from now on the picture stays where it is. */
  private begun = false;
  private readonly end = new AbortController();

  constructor(
    canvas: HTMLCanvasElement,
    private readonly trouble: (why: string) => void,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.renderer.setClearColor(0, 0);
    this.eye = new Eye(canvas, () => this.invalidate());
    light(this.scene);
    this.scene.add(this.ground, this.surfaces, this.planeLines, this.lines, this.pen);
    for (const sign of ['pointerdown', 'keydown', 'wheel']) {
      window.addEventListener(sign, () => { this.begun = true; }, { capture: true, passive: true, signal: this.end.signal });
    }
  }

  /** Leaves the picture where it is from now on, since somebody works in it. */
  stay(): void {
    this.fitted = true;
    this.begun = true;
  }

  /** Calls back after every picture. */
  onPicture(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /**
   * Keeps an element over a place in space. With `data-room`, the pixels that it takes to the right, it is
   * `flipped` where they are not there; with `data-line`, the pixels that it is high, it goes below others like it.
   */
  pin(element: HTMLElement, place: () => Vector3 | null): () => void {
    this.pins.set(element, place);
    // Until the next picture nobody knows where it belongs.
    element.style.visibility = 'hidden';
    this.invalidate();
    return () => this.pins.delete(element);
  }

  resize(width: number, height: number): void {
    this.eye.width = Math.max(1, width);
    this.eye.height = Math.max(1, height);
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio || 1));
    this.renderer.setSize(this.eye.width, this.eye.height, false);
    this.aspect();
    if (!this.fitted) this.fit();
    this.invalidate();
  }

  private aspect(): void {
    this.eye.aspect();
    this.materials.resize(this.eye.width, this.eye.height);
  }

  setScene(flat: boolean, picture: { width: number; height: number }): void {
    const changed = flat !== this.eye.flat || picture.width !== this.eye.picture.width || picture.height !== this.eye.picture.height;
    this.eye.picture = picture;
    if (flat !== this.eye.flat) {
      this.eye.flat = flat;
      this.setLook(flat ? 'front' : 'free');
    }
    if (changed || this.ground.children.length === 0) this.layGround();
    if (changed) this.aspect();
  }

  /** The camera that the scene has, if any. */
  setCamera(camera: SceneCamera | null): void {
    if (!this.eye.setCamera(camera)) this.setLook('free');
    this.invalidate();
  }

  /** Turns to a view; free and camera are in perspective, the others are not. */
  setLook(look: Look): void {
    this.eye.setLook(look);
    this.fit();
  }

  setWishes(wishes: Wishes): void {
    const redraw = wishes.pathAxes !== this.wishes.pathAxes || wishes.marks !== this.wishes.marks;
    this.wishes = wishes;
    if (redraw) this.redrawLines();
    this.invalidate();
  }

  /** Lines that show surfaces, each x, y, z, x, y, z …; those of chosen nodes stand out. */
  setSurfaces(surfaces: { lines: readonly (readonly number[])[]; chosen: boolean }[]): void {
    clear(this.surfaces);
    for (const { lines, chosen } of surfaces) {
      const ends = lines.flatMap((line) => line.slice(0, -3).flatMap((_, i) => (i % 3 === 0 ? line.slice(i, i + 6) : [])));
      if (ends.length > 0) this.surfaces.add(thin(ends, this.materials.thin(night.edge, chosen ? 0.9 : 0.45)));
    }
    this.invalidate();
  }

  /** The plane that is worked on, and whether its grid is seen. */
  setPlane(axes: Axes, shown: boolean): void {
    this.work = axes;
    this.planeShown = shown;
    this.layWorkPlane();
  }

  private layWorkPlane(): void {
    clear(this.planeLines);
    if (this.planeShown) layPlane(this.planeLines, this.work, this.gridStep(), this.materials);
    this.invalidate();
  }

  /** Metres between the lines of the work plane's grid. */
  gridStep(): number {
    return niceStep(this.reach() / 10);
  }

  /** Where the keyboard's pen is, if it is in use. */
  setPen(at: Vector3 | null): void {
    clear(this.pen);
    if (at) layPen(this.pen, at, this.work, this.eye.metresPerPixel() * 12, this.materials);
    this.invalidate();
  }

  setPaths(paths: Record<string, PathBlock>, beneath: Compared | null, selected: readonly string[]): void {
    if (paths === this.paths && selected === this.selected && beneath?.paths === this.beneath?.paths && (beneath === null) === (this.beneath === null)) return;
    this.paths = paths;
    this.beneath = beneath;
    this.selected = selected;
    this.redrawLines();
  }

  /** What moves, and how it is shown. */
  setCrowds(list: Shown[], poses: Record<string, Poses>, beneath: Compared | null): void {
    for (const [node, crowd] of this.crowds) {
      const wanted = list.find((shown) => shown.node === node);
      const data = poses[node];
      if (!wanted || !data || !crowd.fits(wanted, data, beneath?.poses[node])) this.drop(node, crowd);
    }
    for (const shown of list) {
      const data = poses[shown.node];
      if (!data) continue;
      const known = this.crowds.get(shown.node);
      if (known) {
        known.shown = shown;
        continue;
      }
      const crowd = new Crowd(shown, data, beneath?.poses[shown.node] ?? null, this.materials, () => this.invalidate(), this.trouble);
      this.scene.add(crowd.group);
      this.crowds.set(shown.node, crowd);
    }
    this.redrawLines();
    if (!this.fitted) this.fit();
  }

  /** Draws what has come; until somebody begins to work, the picture shows all of it. */
  come(): void {
    if (this.fitted && !this.begun && !this.eye.flat && !this.bounds().equals(this.fittedTo)) this.fit();
    if ([...this.crowds.values()].some((crowd) => crowd.isStale(this.frame, this.wishes))) this.invalidate();
  }

  private drop(node: string, crowd: Crowd): void {
    crowd.dispose();
    this.scene.remove(crowd.group);
    this.crowds.delete(node);
  }

  setFrame(frame: number): void {
    this.frame = frame;
    if (this.momentsShown() !== this.moments) this.redrawLines();
    this.invalidate();
  }

  /** Draws soon, once however often it is asked. */
  invalidate(): void {
    if (this.request === 0) this.request = requestAnimationFrame(() => this.draw());
  }

  dispose(): void {
    this.end.abort();
    cancelAnimationFrame(this.request);
    this.eye.dispose();
    for (const [node, crowd] of [...this.crowds]) this.drop(node, crowd);
    for (const group of [this.lines, this.ground, this.planeLines, this.pen]) clear(group);
    this.materials.dispose();
    this.renderer.dispose();
  }

  setHaze(how: ViewSettings['haze']): void {
    haze(this.scene, how);
    this.invalidate();
  }

  private draw(): void {
    this.request = 0;
    const begun = performance.now();
    const { goesAlong, thing } = this.wishes;
    this.eye.goAlong(goesAlong && thing ? this.thingAt(thing.node, thing.object) : null, `${thing?.node} ${thing?.object}`);
    for (const crowd of this.crowds.values()) {
      crowd.pose(this.frame, this.wishes);
      crowd.simplify(this.eye);
    }
    this.materials.resize(this.eye.width, this.eye.height);
    this.renderer.render(this.scene, this.eye.camera);
    const taken: { x: number; y: number }[] = [];
    for (const [element, place] of this.pins) this.place(element, place(), taken);
    for (const listener of this.listeners) listener();
    note('picture', begun);
  }

  private place(element: HTMLElement, at: Vector3 | null, taken: { x: number; y: number }[]): void {
    const screen = at && this.eye.toScreen(at);
    element.style.visibility = screen ? 'visible' : 'hidden';
    if (!screen) return;
    const room = Number(element.dataset['room'] ?? 0);
    const line = Number(element.dataset['line'] ?? 0);
    if (line > 0) {
      screen.y = freeLine(screen, taken, room, line);
      taken.push(screen);
    }
    element.style.transform = `translate(${screen.x.toFixed(1)}px, ${screen.y.toFixed(1)}px)`;
    if (room > 0) element.classList.toggle('flipped', screen.x > this.eye.width - room);
  }

  /** Where a thing stands at the frame on screen, or so many frames after it. */
  thingAt(node: string, object: number, by = 0): Vector3 | null {
    return this.crowds.get(node)?.at(object, this.frame + by) ?? null;
  }

  /** The box around a thing in its own axes and sizes. */
  thingBox(node: string, object: number): Box3 | null {
    return this.crowds.get(node)?.box(object) ?? null;
  }

  /** How a thing stands at the frame on screen, with its size. */
  thingMatrix(node: string, object: number): Matrix4 | null {
    return this.crowds.get(node)?.matrix(object, this.frame) ?? null;
  }

  /** Which moment of each path that moves is on screen. */
  private momentsShown(): string {
    return Object.values(this.paths)
      .filter((block) => block.header.moments)
      .map((block) => momentOf(block, this.frame))
      .join();
  }

  private redrawLines(): void {
    clear(this.lines);
    this.moments = this.momentsShown();
    for (const [node, block] of Object.entries(this.paths)) {
      const strands = strandsAt(block, this.frame);
      const chosen = this.selected.includes(node);
      const path = strands.length > MANY_STRANDS ? thin(piecesOf(strands), this.materials.thin(night.lamp, chosen ? 1 : 0.7)) : fat(strands, this.materials.line(night.lamp, chosen ? 3 : 2, 1, !this.eye.flat));
      if (!this.eye.flat && strands.length <= MANY_STRANDS) {
        const onGround = strands.map((points) => points.map((value, i) => (i % 3 === 1 ? 0 : value)));
        // A path that lies on the ground is drawn over its own shadow.
        path.renderOrder = 1;
        this.lines.add(fat(onGround, this.materials.line(night.shade, 4, 0.5)));
      }
      this.lines.add(path);
      // Where things show their own, those of the path would only be in the way.
      if (this.wishes.pathAxes && (this.crowds.size === 0 || this.selected.includes(block.header.node))) this.drawPathAxes(block);
    }
    for (const block of Object.values(this.beneath?.paths ?? {})) {
      this.lines.add(fat(strandsOf(block), this.materials.dashed(night.edge, 1.8, 0.8)));
    }
    for (const { shown, poses, beneath } of this.crowds.values()) {
      if (!shown.wake) continue;
      if (beneath) this.lines.add(fat(wakeOf(beneath, [], 0), this.materials.dashed(night.edge, 1.8, 0.8)));
      this.lines.add(fat(wakeOf(poses, shown.contacts, 0), this.materials.line(night.lamp, 1.6, 0.85)));
      if (this.wishes.marks) this.markContacts(shown);
    }
    this.aspect();
    this.invalidate();
  }

  /** Direction and up at places along a path: a short needle ahead, a longer one up. */
  private drawPathAxes(block: PathBlock): void {
    const size = this.reach() / 18;
    const [places, colours]: [number[], number[]] = [[], []];
    for (const { at, along, up } of stationsOf(block)) {
      for (const [way, length, colour] of [[along, 0.55, night.persimmon], [up, 1, night.upward]] as const) {
        places.push(...at.toArray(), ...at.clone().addScaledVector(way, size * length).toArray());
        const value = Number.parseInt(colour.slice(1), 16);
        const tone = [(value >> 16) / 255, ((value >> 8) & 255) / 255, (value & 255) / 255];
        colours.push(...tone, ...tone);
      }
    }
    if (places.length > 0) this.lines.add(coloured(places, colours, this.materials.axes()));
  }

  /** A short line across each contact's normal. */
  private markContacts(shown: Shown): void {
    // Many of them are small, so that they do not hide what they are about.
    const many = shown.contacts.length > MANY_CONTACTS;
    // What is cut off at a contact is seen to be cut off there.
    const cut = this.crowds.get(shown.node)?.cuts === true;
    const half = 0.55 * (many ? 0.4 : 1) * shown.size;
    const ends = shown.contacts.filter((contact) => contact.speed_in > 0.01).flatMap((contact) => markOf(contact, half, cut ? 0 : shown.size));
    if (ends.length > 0) this.lines.add(pairs(ends, this.materials.line(night.persimmon, many ? 2.5 : 4, 1)));
  }

  private layGround(): void {
    clear(this.ground);
    if (this.eye.flat) layPicture(this.ground, this.eye.picture, this.materials);
    else layRings(this.ground, this.reach(), this.materials);
    this.invalidate();
  }

  /** Half the size of what there is to see, metres. */
  reach(): number {
    const size = this.bounds().getSize(new Vector3());
    return Math.max(1, size.length() / 2);
  }

  private bounds(): Box3 {
    const box = new Box3();
    const at = new Vector3();
    for (const block of Object.values(this.paths)) {
      for (const points of strandsOf(block)) for (let i = 0; i + 2 < points.length; i += 3) box.expandByPoint(at.fromArray(points, i));
    }
    for (const { poses, shown } of this.crowds.values()) {
      if (this.eye.flat) continue;
      for (let frame = 0; frame < poses.frames; frame += Math.max(1, Math.floor(poses.frames / 24))) {
        for (let object = 0; object < Math.min(64, poses.things); object += 1) {
          const place = placeOf(poses, object, frame);
          if (place) box.expandByPoint(at.copy(place).addScalar(shown.size)).expandByPoint(at.addScalar(-2 * shown.size));
        }
      }
    }
    if (this.eye.flat) {
      box.expandByPoint(at.set(-this.eye.picture.width / 2, -this.eye.picture.height / 2, 0));
      box.expandByPoint(at.set(this.eye.picture.width / 2, this.eye.picture.height / 2, 0));
    }
    if (box.isEmpty()) box.set(new Vector3(-4, 0, -4), new Vector3(4, 1, 4));
    return box;
  }

  /** Shows everything. */
  fit(): void {
    this.fitted = this.crowds.size > 0 || Object.keys(this.paths).length > 0;
    this.fittedTo = this.bounds();
    this.eye.show(this.fittedTo);
    if (!this.eye.flat) this.layGround();
    if (this.planeShown) this.layWorkPlane();
    this.invalidate();
  }

  /**
   * The plane in which something at `through` is dragged: parallel to the work plane, or one that faces the viewer
   * where that is seen from its edge; with `upright`, one that holds the work plane's normal.
   */
  dragPlane(through: Vector3, upright: boolean): Plane {
    const sight = this.eye.sight();
    const plane = (normal: Vector3) => new Plane().setFromNormalAndCoplanarPoint(normal, through);
    const { normal } = this.work;
    if (upright && !this.eye.flat) {
      const across = sight.clone().addScaledVector(normal, -sight.dot(normal));
      if (across.length() > 0.05) return plane(across.normalize().negate());
    }
    return Math.abs(sight.dot(normal)) < 0.15 ? plane(sight.negate()) : plane(normal);
  }

  /** The work plane's axes. */
  get axes(): Axes {
    return this.work;
  }

  /** The thing or the path under the pointer. */
  pick(clientX: number, clientY: number): { node: string; object: number | null } | null {
    const caster = this.eye.ray(clientX, clientY);
    let best: { node: string; object: number; distance: number } | null = null;
    for (const [node, crowd] of this.crowds) {
      const hit = crowd.hit(caster);
      if (hit && (!best || hit.distance < best.distance)) best = { node, ...hit };
    }
    if (best) return { node: best.node, object: best.object };
    const at = this.eye.inPanel(clientX, clientY);
    for (const [node, block] of Object.entries(this.paths)) {
      for (const points of strandsOf(block)) {
        const places = vectorsOf(points).map((place) => this.eye.onScreen(place));
        const near = places.some((b, i) => {
          const a = places[i - 1];
          return a && b && distanceToPiece(at, a, b) < 8;
        });
        if (near) return { node, object: null };
      }
    }
    return null;
  }

  /** The lines of the paths, without those of some nodes. */
  lineVectors(without: readonly string[]): Vector3[][] {
    return Object.entries(this.paths).flatMap(([node, block]) => (without.includes(node) ? [] : strandsOf(block).map(vectorsOf)));
  }
}
