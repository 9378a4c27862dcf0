import { MathUtils, MOUSE, OrthographicCamera, PerspectiveCamera, Raycaster, Vector2, Vector3, type Box3, type Plane } from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Camera as SceneCamera } from '../../../api/types';
import { EDGE_ON, slant } from '../geometry/plane';

export type Look = 'free' | 'top' | 'front' | 'side' | 'camera';

/** Part of the panel that the picture takes up when it is looked at through the camera. */
const FRAMED = 0.94;
/** Width of the film that a lens is given for, millimetres. */
const FILM = 36;

/** A rectangle in pixels of the panel. */
export interface Frame {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Where the picture in space is looked at from, and what stands where in the panel. */
export class Eye {
  look: Look = 'free';
  flat = false;
  picture = { width: 16, height: 9 };
  width = 1;
  height = 1;
  private readonly perspective = new PerspectiveCamera(38, 1, 0.01, 5000);
  private readonly lens = new PerspectiveCamera(38, 1, 0.01, 5000);
  private readonly orthographic = new OrthographicCamera(-1, 1, 1, -1, -5000, 5000);
  camera: PerspectiveCamera | OrthographicCamera = this.perspective;
  private controls: OrbitControls;
  private sceneCamera: SceneCamera | null = null;
  private turning = true;
  /** What it goes along with, and where that was. */
  private along: { at: Vector3; whose: string } | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly changed: () => void,
  ) {
    this.controls = this.newControls();
  }

  private newControls(): OrbitControls {
    const controls = new OrbitControls(this.camera, this.canvas);
    controls.zoomToCursor = true;
    controls.enableDamping = false;
    const turns = this.look === 'free' && !this.flat;
    controls.enableRotate = turns;
    controls.enabled = this.look !== 'camera';
    this.buttons(controls);
    controls.addEventListener('change', () => this.changed());
    return controls;
  }

  /** Lets the first button turn the picture, or leaves it to somebody else, as while drawing. */
  setTurning(turning: boolean): void {
    this.turning = turning;
    this.buttons(this.controls);
  }

  private buttons(controls: OrbitControls): void {
    const left = this.look === 'free' && !this.flat ? MOUSE.ROTATE : MOUSE.PAN;
    controls.mouseButtons = { LEFT: this.turning ? left : null, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN };
  }

  /** Fits the cameras to the panel and the picture. */
  aspect(): void {
    const aspect = this.width / this.height;
    this.perspective.aspect = aspect;
    this.perspective.updateProjectionMatrix();
    const half = (this.orthographic.top - this.orthographic.bottom) / 2;
    this.orthographic.left = -half * aspect;
    this.orthographic.right = half * aspect;
    this.orthographic.updateProjectionMatrix();
    this.frameLens();
  }

  /** The camera of the scene, so that the picture edge takes up most of the panel. */
  frameLens(): void {
    const camera = this.sceneCamera;
    if (!camera) return;
    this.lens.position.fromArray(camera.position);
    this.lens.lookAt(new Vector3().fromArray(camera.target));
    const aspect = this.width / this.height;
    const wide = FILM / 2 / camera.lens / FRAMED;
    const high = aspect > this.picture.width / this.picture.height ? (wide * this.picture.height) / this.picture.width : wide / aspect;
    this.lens.fov = MathUtils.radToDeg(2 * Math.atan(high));
    this.lens.aspect = aspect;
    const far = this.lens.position.distanceTo(new Vector3().fromArray(camera.target));
    this.lens.near = far / 1000;
    this.lens.far = far * 100 + 1000;
    this.lens.updateProjectionMatrix();
  }

  /** Where the picture edge is in the panel, when it can be told: through the camera, or in a flat scene. */
  pictureFrame(): Frame | null {
    if (this.look === 'camera') {
      const aspect = this.picture.width / this.picture.height;
      const wide = this.width / this.height > aspect ? this.height * FRAMED * aspect : this.width * FRAMED;
      return { x: (this.width - wide) / 2, y: (this.height - wide / aspect) / 2, width: wide, height: wide / aspect };
    }
    if (!this.flat) return null;
    const [a, b] = [new Vector3(-this.picture.width / 2, this.picture.height / 2, 0), new Vector3(this.picture.width / 2, -this.picture.height / 2, 0)].map((corner) => this.onScreen(corner));
    return a && b ? { x: a.x, y: a.y, width: b.x - a.x, height: b.y - a.y } : null;
  }

  /** The camera that the scene has, if any; false where it was looked through and is gone. */
  setCamera(camera: SceneCamera | null): boolean {
    this.sceneCamera = camera;
    this.frameLens();
    return camera !== null || this.look !== 'camera';
  }

  /** A camera that shows what the free view shows now. */
  seen(lens: number): SceneCamera | null {
    if (this.look !== 'free' || this.flat) return null;
    const target = this.controls.target.clone();
    const sight = this.perspective.position.clone().sub(target);
    const high = 2 * sight.length() * Math.tan(MathUtils.degToRad(this.perspective.fov / 2)) * FRAMED;
    const aspect = this.picture.width / this.picture.height;
    const far = (Math.min(high * aspect, high * this.perspective.aspect) * lens) / FILM;
    const place = (at: Vector3) => at.toArray().map((x) => Number(x.toFixed(4))) as [number, number, number];
    return { position: place(target.clone().addScaledVector(sight.normalize(), far)), target: place(target), lens };
  }

  /** Looks in this way; free and camera are in perspective, the others are not. */
  setLook(look: Look): void {
    this.look = look === 'camera' && !this.sceneCamera ? 'free' : look;
    this.camera = this.look === 'camera' ? this.lens : this.look === 'free' ? this.perspective : this.orthographic;
    this.controls.dispose();
    this.controls = this.newControls();
  }

  /** Shows all of a box. */
  show(box: Box3): void {
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
    } else if (this.camera === this.orthographic) {
      const [across, up] = this.look === 'top' ? [size.x, size.z] : this.look === 'side' ? [size.z, size.y] : [size.x, size.y];
      const half = Math.max(up / 2, across / 2 / aspect, 1e-3) * 1.16;
      Object.assign(this.orthographic, { top: half, bottom: -half, zoom: 1 });
      const direction = this.look === 'top' ? new Vector3(0, 1, 1e-6) : this.look === 'side' ? new Vector3(1, 0, 0) : new Vector3(0, 0, 1);
      this.camera.position.copy(centre).addScaledVector(direction, size.length() + 10);
      this.aspect();
    } else {
      this.frameLens();
    }
    if (this.look !== 'camera') this.controls.update();
  }

  /** Moves as far as something has moved since it was here last; the scene's camera stays where it is. */
  goAlong(at: Vector3 | null, whose: string): void {
    const { along } = this;
    this.along = at && { at, whose };
    if (!at || along?.whose !== whose || this.look === 'camera' || at.equals(along.at)) return;
    const by = at.clone().sub(along.at);
    this.controls.target.add(by);
    this.camera.position.add(by);
    this.controls.update();
  }

  /** Pixels within the panel, wherever it is before the viewer. */
  onScreen(at: Vector3): Vector2 | null {
    const clip = at.clone().project(this.camera);
    return clip.z > 1 ? null : new Vector2(((clip.x + 1) / 2) * this.width, ((1 - clip.y) / 2) * this.height);
  }

  /** Pixels within the panel, or nothing for what lies behind the viewer or far beside. */
  toScreen(at: Vector3): Vector2 | null {
    const screen = this.onScreen(at);
    const far = screen && (Math.abs(screen.x / this.width - 0.5) > 0.7 || Math.abs(screen.y / this.height - 0.5) > 0.7);
    return far ? null : screen;
  }

  /** Metres per pixel where the camera looks at. */
  metresPerPixel(): number {
    if (this.camera === this.orthographic) return (this.orthographic.top - this.orthographic.bottom) / this.orthographic.zoom / this.height;
    const target = this.look === 'camera' && this.sceneCamera ? new Vector3().fromArray(this.sceneCamera.target) : this.controls.target;
    const distance = this.camera.position.distanceTo(target);
    return (2 * distance * Math.tan(((this.camera as PerspectiveCamera).fov / 2) * (Math.PI / 180))) / this.height;
  }

  /** Metres per pixel at a place. */
  metresPerPixelAt(at: Vector3): number {
    if (this.camera === this.orthographic) return this.metresPerPixel();
    const deep = at.clone().sub(this.camera.position).dot(this.sight());
    return (2 * Math.max(deep, 1e-6) * Math.tan(((this.camera as PerspectiveCamera).fov / 2) * (Math.PI / 180))) / this.height;
  }

  /** The direction in which is looked. */
  sight(): Vector3 {
    return this.camera.getWorldDirection(new Vector3());
  }

  /** Where the pointer meets a plane. */
  onPlane(clientX: number, clientY: number, plane: Plane): Vector3 | null {
    const { ray } = this.ray(clientX, clientY);
    return slant(ray, plane) < EDGE_ON ? null : ray.intersectPlane(plane, new Vector3());
  }

  /** From the viewer through a pixel of the page. */
  ray(clientX: number, clientY: number): Raycaster {
    const box = this.canvas.getBoundingClientRect();
    const caster = new Raycaster();
    caster.setFromCamera(new Vector2(((clientX - box.left) / box.width) * 2 - 1, 1 - ((clientY - box.top) / box.height) * 2), this.camera);
    return caster;
  }

  /** Pixels of the panel for pixels of the page. */
  inPanel(clientX: number, clientY: number): Vector2 {
    const box = this.canvas.getBoundingClientRect();
    return new Vector2(clientX - box.left, clientY - box.top);
  }

  dispose(): void {
    this.controls.dispose();
  }
}
