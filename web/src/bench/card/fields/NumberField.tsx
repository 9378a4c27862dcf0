import { createContext, useContext, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { Unit } from '../../../api/types';
import { asksForFormula, measureOf, readNumber, shownNumber, useRuler } from './number';

interface Props {
  label: string;
  value: number;
  unit: Unit;
  min: number;
  max: number;
  whole?: boolean;
  /** Shown in place of the number, such as 9/7. */
  text?: string;
  /** What a typed text means; by default arithmetic with units. */
  read?: (text: string) => number;
  /** Enter keeps what is shown, also where it was not changed: it sets a key there. */
  sets?: boolean;
  onPreview: (value: number) => void;
  /** `text` is what was typed, where something was typed. */
  onKeep: (value: number, text?: string) => void;
}

/** Takes a formula that was typed where a number stood, where one may stand there. */
export const TakesFormula = createContext<((text: string) => void) | null>(null);

/** Pixels that count as a click still. */
const SLACK = 3;

/**
 * A number that drags sideways (with Shift ten times faster, with Ctrl ten times finer), takes units
 * and arithmetic when typed, and steps with the arrow keys.
 */
export function NumberField(props: Props) {
  const { value, unit, min, max, whole } = props;
  const [typed, setTyped] = useState<string | null>(null);
  // What was typed and not taken up yet; a blur that follows a key in the same instant must not see it twice.
  const waiting = useRef<string | null>(null);
  // What was typed and refused stays to be mended, until the number is another or it is given up.
  const [refused, setRefused] = useState<{ text: string; why: string; value: number } | null>(null);
  const lost = refused?.value === value ? refused : null;
  const wrong = lost?.why ?? null;
  const input = useRef<HTMLInputElement>(null);
  const drag = useRef<{ x: number; value: number; moved: boolean } | null>(null);
  const ruler = useRuler();
  const takesFormula = useContext(TakesFormula);
  const measure = measureOf(unit, ruler);

  const fitting = (next: number) => {
    const inside = Math.min(max, Math.max(min, next));
    return whole ? Math.round(inside) : Number(inside.toFixed(9));
  };
  const step = (event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    const base = whole ? 1 : measure.step;
    return base * (event.shiftKey ? 10 : event.ctrlKey || event.metaKey ? (whole ? 1 : 0.1) : 1);
  };

  const type = (text: string | null) => {
    waiting.current = text;
    setTyped(text);
  };
  const keepTyped = () => {
    const text = waiting.current;
    type(null);
    if (text === null) return;
    setRefused(null);
    try {
      // What is shown is rounded; who keeps it means what it is.
      const next = props.sets && text === shownNumber(value) ? value : (props.read ?? ((t: string) => readNumber(t, unit, ruler)))(text);
      if (next < min || next > max) throw new Error(`Choose from ${shownNumber(min)} to ${shownNumber(max)}${measure.suffix && ` ${measure.suffix}`}.`);
      if (props.sets || next !== value || (props.text !== undefined && text !== props.text)) props.onKeep(whole ? Math.round(next) : next, text);
    } catch (error) {
      if (takesFormula && asksForFormula(text)) return takesFormula(text.trim());
      setRefused({ text, why: error instanceof Error ? error.message : String(error), value });
    }
  };

  const down = (event: PointerEvent<HTMLInputElement>) => {
    if (event.button !== 0 || document.activeElement === input.current) return;
    event.preventDefault();
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { x: event.clientX, value, moved: false };
  };
  const move = (event: PointerEvent<HTMLInputElement>) => {
    const held = drag.current;
    if (!held) return;
    if (!held.moved && Math.abs(event.clientX - held.x) < SLACK) return;
    held.moved = true;
    const pixels = whole ? Math.trunc((event.clientX - held.x) / 8) : event.clientX - held.x;
    props.onPreview(fitting(held.value + pixels * step(event)));
  };
  const up = (event: PointerEvent<HTMLInputElement>) => {
    const held = drag.current;
    drag.current = null;
    if (!held) return;
    if (held.moved) {
      const pixels = whole ? Math.trunc((event.clientX - held.x) / 8) : event.clientX - held.x;
      setRefused(null);
      props.onKeep(fitting(held.value + pixels * step(event)));
    } else {
      input.current?.focus();
      input.current?.select();
    }
  };
  const press = (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === 'Enter') {
      if (props.sets) waiting.current ??= event.currentTarget.value;
      input.current?.blur();
    } else if (event.key === 'Escape') {
      type(null);
      setRefused(null);
      input.current?.blur();
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault();
      const by = (whole ? 1 : measure.step * 10) * (event.shiftKey ? 10 : event.ctrlKey ? 0.1 : 1);
      type(null);
      setRefused(null);
      props.onKeep(fitting(value + (event.key === 'ArrowUp' ? by : -by)));
    }
  };

  return (
    <>
      <span className={`field${wrong ? ' off' : ''}`}>
        <input
          ref={input}
          className="mono"
          aria-label={props.label}
          aria-invalid={wrong !== null}
          inputMode="decimal"
          value={typed ?? lost?.text ?? props.text ?? shownNumber(value)}
          onChange={(event) => type(event.target.value)}
          onFocus={(event) => event.target.select()}
          onBlur={keepTyped}
          onPointerDown={down}
          onPointerMove={move}
          onPointerUp={up}
          onKeyDown={press}
        />
        {measure.suffix && <span className="unit">{measure.suffix}</span>}
      </span>
      {wrong && (
        <span className="field-wrong" role="alert">
          {wrong}
        </span>
      )}
    </>
  );
}
