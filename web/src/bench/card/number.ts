/** What a number measures, with the units that may be typed for it and how many of its own each is. */
import type { Unit } from '../../api/types';

interface Measure {
  suffix: string;
  typed: Record<string, number>;
  /** What one pixel of sideways drag changes. */
  step: number;
}

export const measures: Record<Unit, Measure> = {
  none: { suffix: '', typed: {}, step: 0.01 },
  metres: { suffix: 'm', typed: { m: 1, cm: 0.01, mm: 0.001 }, step: 0.01 },
  speed: { suffix: 'm/s', typed: { 'm/s': 1, 'cm/s': 0.01, 'mm/s': 0.001 }, step: 0.02 },
  acceleration: { suffix: 'm/s²', typed: { 'm/s²': 1, 'm/s2': 1 }, step: 0.02 },
  frames: { suffix: 'frames', typed: { frames: 1, frame: 1, f: 1 }, step: 0.25 },
  laps: { suffix: 'laps', typed: { laps: 1, lap: 1, '°': 1 / 360 }, step: 0.005 },
};

class Reader {
  private at = 0;
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
    for (;;) {
      if (this.takes('*')) value *= this.factor();
      else if (this.takes('/')) value /= this.factor();
      else return value;
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
    return value * this.unit();
  }

  private number(): number {
    this.blank();
    const found = /^(\d+([.,]\d*)?|[.,]\d+)(e[+-]?\d+)?/i.exec(this.text.slice(this.at));
    if (!found) throw new Error(this.at < this.text.length ? `A number is missing before “${this.text.slice(this.at)}”.` : 'A number is missing at the end.');
    this.at += found[0].length;
    return Number(found[0].replace(',', '.'));
  }

  private unit(): number {
    this.blank();
    const rest = this.text.slice(this.at);
    const names = Object.keys(this.units).sort((a, b) => b.length - a.length);
    const name = names.find((name) => rest.startsWith(name) && !/^[a-z]/i.test(rest.slice(name.length)));
    if (name === undefined) return 1;
    this.at += name.length;
    return this.units[name] ?? 1;
  }
}

/** The number that a text means, in the unit's own measure: arithmetic, brackets and units are understood. */
export function readNumber(text: string, unit: Unit): number {
  return new Reader(text.trim(), measures[unit].typed).read();
}

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
