/** Small flat pictures of things in space, without a graphics context of their own kind. */

export type Flat = [number, number];

/** From scene space to the picture: flat scenes from the front, deep ones from above at a slant. */
export function projected(x: number, y: number, z: number, flat: boolean): Flat {
  return flat ? [x, -y] : [x + 0.18 * z, 0.46 * z - 0.82 * y];
}

export interface Fit {
  scale: number;
  x: number;
  y: number;
}

/** Fits lists of x, y, z into a box with a margin; nothing gives the origin in its middle. */
export function fitted(lists: readonly (readonly number[])[], flat: boolean, width: number, height: number, margin: number): Fit {
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const list of lists) {
    for (let i = 0; i + 2 < list.length; i += 3) {
      const [x, y] = projected(list[i] ?? 0, list[i + 1] ?? 0, list[i + 2] ?? 0, flat);
      left = Math.min(left, x);
      right = Math.max(right, x);
      top = Math.min(top, y);
      bottom = Math.max(bottom, y);
    }
  }
  if (left > right) return { scale: 1, x: width / 2, y: height / 2 };
  const scale = Math.min((width - 2 * margin) / Math.max(right - left, 1e-9), (height - 2 * margin) / Math.max(bottom - top, 1e-9));
  return { scale, x: width / 2 - (scale * (left + right)) / 2, y: height / 2 - (scale * (top + bottom)) / 2 };
}

/** Calls `each` with every place of a list in the picture. */
export function places(list: readonly number[], flat: boolean, fit: Fit, each: (x: number, y: number, i: number) => void): void {
  for (let i = 0; i + 2 < list.length; i += 3) {
    const [x, y] = projected(list[i] ?? 0, list[i + 1] ?? 0, list[i + 2] ?? 0, flat);
    each(fit.x + fit.scale * x, fit.y + fit.scale * y, i / 3);
  }
}
