/** How far down a name that is `room` wide and a `line` high goes, so that it lies on none that were put down before. */
export function freeLine(at: { x: number; y: number }, taken: readonly { x: number; y: number }[], room: number, line: number): number {
  const beside = taken.filter(({ x }) => Math.abs(x - at.x) < room).sort((a, b) => a.y - b.y);
  return beside.reduce((y, other) => (Math.abs(other.y - y) < line ? other.y + line : y), at.y);
}
