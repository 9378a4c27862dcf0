/** Frames per second of a fraction such as 24000/1001. */
export function rateOf(fps: string): number {
  const [above = 24, below = 1] = fps.split('/').map(Number);
  return above / below;
}
