import { BoxGeometry, BufferAttribute, BufferGeometry, ConeGeometry, CylinderGeometry, IcosahedronGeometry } from 'three';
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

/** A thing of about one metre, its nose along +x and its top along +y. */
export function thingGeometry(kind: string): BufferGeometry {
  switch (kind) {
    case 'ball':
      return merged(new IcosahedronGeometry(0.5, 3));
    case 'box':
      return merged(new BoxGeometry(1, 0.6, 0.6));
    case 'lantern': {
      // Hangs from its pivot: a hook line, a cap, a six-sided body that narrows downwards, a foot.
      const body = new CylinderGeometry(0.34, 0.24, 0.6, 6).translate(0, -0.62, 0);
      const cap = new CylinderGeometry(0.1, 0.34, 0.14, 6).translate(0, -0.25, 0);
      const foot = new CylinderGeometry(0.16, 0.16, 0.06, 6).translate(0, -0.95, 0);
      const hook = new CylinderGeometry(0.02, 0.02, 0.2, 4).translate(0, -0.09, 0);
      return merged(body, cap, foot, hook);
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
