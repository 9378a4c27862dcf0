import { IcosahedronGeometry, OctahedronGeometry, Vector3, type BufferGeometry, type InstancedMesh } from 'three';
import { plain, thingGeometry } from './things';

/** Pixels from end to end at and below which many things are drawn more simply, and as little more than dots. */
const SIMPLER = 24;
const DOTS = 6;
/** What has fewer triangles than this is simple enough. */
const FEW = 24;

type Level = 0 | 1 | 2;

/** How simply things are drawn of which the nearest is so many pixels large. */
export const levelOf = (pixels: number): Level => (pixels <= DOTS ? 2 : pixels <= SIMPLER ? 1 : 0);

const made = new Map<string, BufferGeometry | null>();

/** A thing drawn more simply; nothing where it is drawn as it is. */
export function simpler(kind: string, level: Level): BufferGeometry | null {
  const key = `${kind} ${level}`;
  const known = made.get(key);
  if (known !== undefined) return known;
  const fresh = make(kind, level);
  made.set(key, fresh);
  return fresh;
}

function make(kind: string, level: Level): BufferGeometry | null {
  if (level === 0 || kind === 'letter') return null;
  if (kind === 'ball') return plain(new IcosahedronGeometry(0.5, level === 1 ? 1 : 0));
  if (level === 1) return null;
  const whole = thingGeometry(kind);
  const triangles = (whole.index?.count ?? whole.getAttribute('position').count) / 3;
  whole.computeBoundingBox();
  const box = whole.boundingBox;
  whole.dispose();
  if (triangles < FEW || !box) return null;
  const [size, middle] = [box.getSize(new Vector3()), box.getCenter(new Vector3())];
  return plain(new OctahedronGeometry(0.5).scale(size.x, size.y, size.z).translate(middle.x, middle.y, middle.z));
}

/** Has instances drawn in a form; the one that they were made with stays theirs. */
export function drawAs(mesh: InstancedMesh, form: BufferGeometry | null): void {
  const own = wholeOf(mesh);
  mesh.userData['whole'] = own;
  mesh.geometry = form ?? own;
}

/** The form that instances were made with. */
export const wholeOf = (mesh: InstancedMesh): BufferGeometry => (mesh.userData['whole'] as BufferGeometry | undefined) ?? mesh.geometry;
