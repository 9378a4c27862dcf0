import type { Unit } from '../../../api/types';
import { rateOf } from '../../../scene/rate';
import { useScene } from '../../../scene/store';

/** What lengths and times of the scene are measured with. */
export interface Ruler {
  /** Frames per second. */
  fps: number;
  /** Metres in one pixel of the picture. */
  pixel: number;
}

interface Measure {
  suffix: string;
  /** Units that may be typed, and how many of its own each is. */
  typed: Record<string, number>;
  /** What one pixel of sideways drag changes. */
  step: number;
}

const turns = (whole: number) => ({ '°': whole / 360, deg: whole / 360, turns: whole, turn: whole, rad: whole / (2 * Math.PI) });

/** What numbers of a unit are shown and typed with. */
export function measureOf(unit: Unit, { fps, pixel }: Ruler): Measure {
  switch (unit) {
    case 'metres':
      return { suffix: 'm', typed: { m: 1, cm: 0.01, mm: 0.001, px: pixel }, step: 0.01 };
    case 'speed':
      return { suffix: 'm/s', typed: { 'm/s': 1, 'cm/s': 0.01, 'mm/s': 0.001, 'km/h': 1 / 3.6, 'px/s': pixel }, step: 0.02 };
    case 'acceleration':
      return { suffix: 'm/s²', typed: { 'm/s²': 1, 'm/s2': 1 }, step: 0.02 };
    case 'frames':
      return { suffix: 'frames', typed: { frames: 1, frame: 1, f: 1, s: fps, ms: fps / 1000 }, step: 0.25 };
    case 'seconds':
      return { suffix: 's', typed: { s: 1, ms: 0.001, frames: 1 / fps, frame: 1 / fps, f: 1 / fps }, step: 0.01 };
    case 'laps':
      return { suffix: 'laps', typed: { laps: 1, lap: 1, ...turns(1) }, step: 0.005 };
    case 'sizes':
      return { suffix: 'sizes', typed: { sizes: 1, size: 1 }, step: 0.005 };
    case 'degrees':
      return { suffix: '°', typed: turns(360), step: 0.5 };
    default:
      return { suffix: '', typed: {}, step: 0.01 };
  }
}

/** The ruler of the scene on the bench. */
export function useRuler(): Ruler {
  const fps = useScene((state) => state.document?.fps ?? '24');
  const width = useScene((state) => state.document?.picture?.width ?? 16);
  const pixels = useScene((state) => state.document?.picture?.pixels ?? 1920);
  return { fps: rateOf(fps), pixel: width / pixels };
}

class Reader {
  private at = 0;
  /** Unit of the factor that was read last, if it had one. */
  private unitOfLast: number | null = null;
  constructor(
    private readonly text: string,
    private readonly units: Record<string, number>,
  ) {}

  read(): number {
    const value = this.sum();
    this.blank();
    if (this.at < this.text.length) throw new Error(`“${this.text.slice(this.at)}” is not understood here.`);
    if (!Number.isFinite(value)) throw new Error('That is not a finite number.');
    return value;
  }

  private blank(): void {
    while (this.text[this.at] === ' ') this.at += 1;
  }

  private takes(sign: string): boolean {
    this.blank();
    if (this.text[this.at] !== sign) return false;
    this.at += 1;
    return true;
  }

  private sum(): number {
    let value = this.product();
    for (;;) {
      if (this.takes('+')) value += this.product();
      else if (this.takes('-')) value -= this.product();
      else return value;
    }
  }

  private product(): number {
    let value = this.factor();
    let measured = this.unitOfLast !== null;
    for (;;) {
      if (this.takes('*')) {
        value *= this.factor();
        measured ||= this.unitOfLast !== null;
      } else if (this.takes('/')) {
        const below = this.factor();
        const unit = this.unitOfLast;
        // "1/4 turn" is a quarter of a turn, not one over four turns.
        value = unit !== null && !measured ? (value / (below / unit)) * unit : value / below;
        measured ||= unit !== null;
      } else return value;
    }
  }

  private factor(): number {
    if (this.takes('-')) return -this.factor();
    if (this.takes('+')) return this.factor();
    let value: number;
    if (this.takes('(')) {
      value = this.sum();
      if (!this.takes(')')) throw new Error('A bracket is not closed.');
    } else {
      value = this.number();
    }
    const unit = this.unit();
    this.unitOfLast = unit;
    return value * (unit ?? 1);
  }

  private number(): number {
    this.blank();
    const found = /^(\d+([.,]\d*)?|[.,]\d+)(e[+-]?\d+)?/i.exec(this.text.slice(this.at));
    if (!found) throw new Error(this.at < this.text.length ? `A number is missing before “${this.text.slice(this.at)}”.` : 'A number is missing at the end.');
    this.at += found[0].length;
    return Number(found[0].replace(',', '.'));
  }

  private unit(): number | null {
    this.blank();
    const rest = this.text.slice(this.at);
    const names = Object.keys(this.units).sort((a, b) => b.length - a.length);
    const name = names.find((name) => rest.startsWith(name) && !/^[a-z]/i.test(rest.slice(name.length)));
    if (name === undefined) return null;
    this.at += name.length;
    return this.units[name] ?? null;
  }
}

/** The number that a text means, in the unit's own measure: arithmetic, brackets and units are understood. */
export function readNumber(text: string, unit: Unit, ruler: Ruler = PLAIN): number {
  return new Reader(text.trim(), measureOf(unit, ruler).typed).read();
}

/** True of a text that is no number but uses what only formulas have: a variable, a function, a comparison. */
export const asksForFormula = (text: string): boolean => /\b(frame|time|loop|along|index|count|dice|pi|tau)\b|[a-z]\w*\s*\(|[<>?]/i.test(text);

/** For numbers that depend on neither frame rate nor picture. */
const PLAIN: Ruler = { fps: 24, pixel: 1 / 120 };

/** A fraction such as 9/7, or an exact decimal; throws a sentence otherwise. */
export function readFraction(text: string): string {
  const plain = text.trim().replace(/\s*laps?$/, '').replace(',', '.');
  if (/^[-+]?(\d{1,9}(\.\d{0,9})?|\.\d{1,9})(\s*\/\s*\d{1,9}(\.\d{0,9})?)?$/.test(plain) && !/\/\s*0+(\.0*)?$/.test(plain)) return plain.replace(/\s/g, '');
  return exactDecimal(readNumber(text, 'laps'));
}

/** A number as a text of at most nine digits after the point. */
export function exactDecimal(value: number): string {
  return String(Number(value.toFixed(9)));
}

/** A number as it is shown: at most four digits after the point, none that say nothing. */
export function shownNumber(value: number): string {
  const rounded = Math.abs(value) >= 1e6 ? value.toPrecision(7) : value.toFixed(Math.abs(value) < 0.01 && value !== 0 ? 6 : 4);
  return String(Number(rounded));
}
