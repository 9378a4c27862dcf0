/** The colours of the interface, named as in docs/words.md. */
export interface Tokens {
  paper: string;
  raised: string;
  line: string;
  ink: string;
  soft: string;
  persimmon: string;
  onPersimmon: string;
  green: string;
  mulberry: string;
  amber: string;
  brick: string;
  /** Of the third axis. */
  blue: string;
}

export type Mode = 'light' | 'dark';

export const tokens: Record<Mode, Tokens> = {
  light: {
    paper: '#F5EFE3',
    raised: '#FBF7EE',
    line: '#D8CDB8',
    ink: '#23223A',
    soft: '#5D5B73',
    persimmon: '#C8421A',
    onPersimmon: '#FFFAF2',
    green: '#1E6B58',
    mulberry: '#7A3B69',
    amber: '#8A5606',
    brick: '#A3271F',
    blue: '#3A5FB0',
  },
  dark: {
    paper: '#24232C',
    raised: '#2D2C37',
    line: '#4A4756',
    ink: '#F3ECDD',
    soft: '#BDB6AA',
    persimmon: '#F27C4D',
    onPersimmon: '#1C1B23',
    green: '#6CC9AD',
    mulberry: '#DDA0CB',
    amber: '#E5AE4E',
    brick: '#F58A7F',
    blue: '#9DB8F5',
  },
};

/** The picture is dark in both modes. In styles each is a variable, as `--night-paper`. */
export const night = {
  top: '#20264A',
  bottom: '#14182B',
  raised: '#1B2040',
  line: '#4A5390',
  faint: '#3A4270',
  edge: '#7D86BD',
  soft: '#C9CBE6',
  paper: '#F5EFE3',
  lamp: '#F2D398',
  persimmon: '#E8602F',
  mulberry: '#D9A5C9',
  brick: '#F5B8B0',
  /** Under a path that lies on the ground. */
  shade: '#0B0E1C',
  /** The top of a thing and its side, beside its nose in persimmon. */
  upward: '#8F96C8',
  sideward: '#6CC9AD',
  x: '#E56A5C',
  y: '#74C58F',
  z: '#7FA6F2',
};

/** Contrast of two colours by WCAG 2. */
export function contrast(a: string, b: string): number {
  const luminance = (hex: string) => {
    const [r, g, bl] = [1, 3, 5].map((i) => {
      const c = parseInt(hex.slice(i, i + 2), 16) / 255;
      return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
    }) as [number, number, number];
    return 0.2126 * r + 0.7152 * g + 0.0722 * bl;
  };
  const [x, y] = [luminance(a), luminance(b)];
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
}
