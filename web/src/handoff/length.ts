/** A length as it is read best. */
export function length(metres: number): string {
  if (metres === 0) return '0 mm';
  if (metres < 1e-6) return '< 0.001 mm';
  return metres < 0.1 ? `${Number((metres * 1000).toPrecision(2))} mm` : `${Number(metres.toPrecision(3))} m`;
}
