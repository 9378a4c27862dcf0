/** The middle of the Dial lies a little low, so that the knot has its place over the rim. */
export const CENTRE = { x: 100, y: 106 };

/** The place at a part of a turn, from twelve o'clock on. */
export const turn = (phase: number, radius: number): [number, number] => {
  const angle = phase * 2 * Math.PI;
  return [CENTRE.x + radius * Math.sin(angle), CENTRE.y - radius * Math.cos(angle)];
};
