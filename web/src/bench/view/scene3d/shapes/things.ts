import { BoxGeometry, BufferAttribute, BufferGeometry, CapsuleGeometry, ConeGeometry, CylinderGeometry, ExtrudeGeometry, IcosahedronGeometry, LatheGeometry, PlaneGeometry, Shape, TorusGeometry, Vector2 } from 'three';
import { mergeGeometries } from 'three/addons/utils/BufferGeometryUtils.js';

/** A part in a shade of the thing's colour: 1 as it is, less darker. */
const shaded = (part: BufferGeometry, shade: number): BufferGeometry => {
  const plain = part.index ? part.toNonIndexed() : part;
  const count = plain.getAttribute('position').count;
  return plain.setAttribute('color', new BufferAttribute(new Float32Array(3 * count).fill(shade), 3));
};

const merged = (...parts: BufferGeometry[]): BufferGeometry => {
  const plain = parts.map((part) => (part.hasAttribute('color') ? part : shaded(part, 1)));
  return mergeGeometries(plain) ?? new BufferGeometry();
};

/** One part as it is, in the thing's own colour. */
export const plain = (part: BufferGeometry): BufferGeometry => merged(part);

function boat(): BufferGeometry {
  // A hull drawn from above, its bow ahead, with a seat and a short mast.
  const outline = new Shape();
  outline.moveTo(0.5, 0);
  outline.quadraticCurveTo(0.28, 0.2, -0.1, 0.2);
  outline.lineTo(-0.42, 0.15);
  outline.lineTo(-0.42, -0.15);
  outline.lineTo(-0.1, -0.2);
  outline.quadraticCurveTo(0.28, -0.2, 0.5, 0);
  const hull = new ExtrudeGeometry(outline, { depth: 0.16, bevelEnabled: true, bevelSize: -0.05, bevelThickness: 0.07, bevelSegments: 1, curveSegments: 8 }).rotateX(-Math.PI / 2).translate(0, -0.06, 0);
  const seat = new BoxGeometry(0.1, 0.05, 0.3).translate(-0.2, 0.16, 0);
  const mast = new CylinderGeometry(0.016, 0.022, 0.5, 6).translate(0.12, 0.38, 0);
  const pennant = new ConeGeometry(0.07, 0.22, 3).rotateZ(Math.PI / 2).scale(1, 1, 0.2).translate(0, 0.56, 0);
  hull.deleteAttribute('uv');
  [seat, mast, pennant].forEach((part) => part.deleteAttribute('uv'));
  return merged(hull, shaded(seat, 0.45), mast, shaded(pennant, 0.7));
}

/** A thing of about one metre, its nose along +x and its top along +y. */
export function thingGeometry(kind: string): BufferGeometry {
  switch (kind) {
    case 'ball':
      return merged(new IcosahedronGeometry(0.5, 3));
    case 'box':
      return merged(new BoxGeometry(1, 0.6, 0.6));
    case 'cone':
      return merged(new ConeGeometry(0.32, 1, 28).rotateZ(-Math.PI / 2));
    case 'capsule':
      return merged(new CapsuleGeometry(0.22, 0.56, 6, 18).rotateZ(Math.PI / 2));
    case 'plate':
      return merged(new CylinderGeometry(0.5, 0.38, 0.08, 40), shaded(new CylinderGeometry(0.36, 0.36, 0.012, 40).translate(0, 0.046, 0), 0.8), shaded(new BoxGeometry(0.12, 0.02, 0.05).translate(0.42, 0.05, 0), 0.2));
    case 'ring':
      return merged(new TorusGeometry(0.42, 0.08, 14, 44).rotateX(Math.PI / 2), shaded(new BoxGeometry(0.1, 0.18, 0.05).translate(0.42, 0, 0), 0.3));
    case 'boat':
      return boat();
    case 'letter':
      return new PlaneGeometry(1, 1);
    case 'lantern': {
      // Hangs from its pivot: a hook line, a cap, a six-sided body that narrows downwards, a foot.
      const body = new CylinderGeometry(0.34, 0.24, 0.6, 6).translate(0, -0.62, 0);
      const cap = new CylinderGeometry(0.1, 0.34, 0.14, 6).translate(0, -0.25, 0);
      const foot = new CylinderGeometry(0.16, 0.16, 0.06, 6).translate(0, -0.95, 0);
      const hook = new CylinderGeometry(0.02, 0.02, 0.2, 4).translate(0, -0.09, 0);
      return merged(body, cap, foot, hook);
    }
    case 'club': {
      // A handle with a knob, then the belly towards the nose, with a band round it.
      const outline: [number, number][] = [[0, -0.5], [0.05, -0.49], [0.06, -0.45], [0.03, -0.41], [0.035, -0.15], [0.06, 0.02], [0.13, 0.2], [0.14, 0.32], [0.1, 0.44], [0, 0.5]];
      const body = new LatheGeometry(outline.map(([x, y]) => new Vector2(x, y)), 20).rotateZ(-Math.PI / 2);
      const band = new CylinderGeometry(0.146, 0.138, 0.05, 20, 1, true).rotateZ(-Math.PI / 2).translate(0.3, 0, 0);
      return merged(body, shaded(band, 0.35));
    }
    case 'barrel': {
      // Six staves round the axle z, one of them below; hoops, and a mark on one head.
      const staves = new CylinderGeometry(0.5, 0.5, 0.9, 6).rotateY(Math.PI / 6).rotateX(Math.PI / 2);
      const hoop = (z: number) => shaded(new CylinderGeometry(0.506, 0.506, 0.07, 6, 1, true).rotateY(Math.PI / 6).rotateX(Math.PI / 2).translate(0, 0, z), 0.3);
      const mark = shaded(new BoxGeometry(0.12, 0.3, 0.02).translate(0, 0.24, 0.455), 0.2);
      return merged(staves, hoop(-0.28), hoop(0.28), mark);
    }
    case 'peg': {
      const post = new CylinderGeometry(0.06, 0.08, 0.94, 18).translate(0, 0.03, 0);
      const knob = new IcosahedronGeometry(0.09, 2).translate(0, 0.5, 0);
      const foot = new CylinderGeometry(0.34, 0.38, 0.06, 28).translate(0, -0.47, 0);
      return merged(post, shaded(knob, 0.75), shaded(foot, 0.5));
    }
    case 'puck': {
      const disc = new CylinderGeometry(0.5, 0.5, 0.2, 36).rotateX(Math.PI / 2);
      const mark = new BoxGeometry(0.4, 0.12, 0.06).translate(0.27, 0, 0.1);
      return merged(disc, shaded(mark, 0.12));
    }
    default:
      return merged(new ConeGeometry(0.26, 0.62, 4).rotateZ(-Math.PI / 2).translate(0.19, 0, 0), new BoxGeometry(0.5, 0.12, 0.12).translate(-0.25, 0, 0));
  }
}
