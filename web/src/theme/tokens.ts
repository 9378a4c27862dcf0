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
  },
};

/** The picture is dark in both modes. */
export const night = { top: '#20264A', bottom: '#14182B', lamp: '#F2D398', paper: '#F5EFE3', faint: '#3A4270', persimmon: '#E8602F', edge: '#7D86BD', mulberry: '#D9A5C9' };

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
