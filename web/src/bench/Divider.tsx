import { useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { fitted, useSizes, usual } from './sizes';

/** Pixels that an arrow key moves a border. */
const STEP = 16;

interface Props {
  name: 'weave' | 'card' | 'low' | 'dial';
  title: string;
  /** Horizontal borders move up and down; `back` ones make their panel larger to the left or upwards. */
  way: 'across' | 'up';
  back: boolean;
}

/** A border between panels that is dragged, moved with the arrow keys, and put back by a double click. */
export function Divider({ name, title, way, back }: Props) {
  const size = useSizes((state) => state[name]);
  const held = useRef<{ at: number; size: number } | null>(null);
  const place = (event: { clientX: number; clientY: number }) => (way === 'across' ? event.clientX : event.clientY);
  const set = (wished: number) => useSizes.setState((state) => ({ [name]: fitted(name, wished, state, { width: window.innerWidth, height: window.innerHeight }) }));
  const down = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    held.current = { at: place(event), size };
  };
  const move = (event: PointerEvent) => {
    const from = held.current;
    if (from) set(from.size + (place(event) - from.at) * (back ? -1 : 1));
  };
  const press = (event: KeyboardEvent) => {
    const on: Record<string, number> = way === 'across' ? { ArrowLeft: -1, ArrowRight: 1 } : { ArrowUp: -1, ArrowDown: 1 };
    const step = on[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    set(size + step * STEP * (back ? -1 : 1));
  };
  return (
    <div
      className={`divider ${name} ${way}`}
      role="separator"
      aria-label={title}
      aria-orientation={way === 'across' ? 'vertical' : 'horizontal'}
      aria-valuenow={size}
      tabIndex={0}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={() => (held.current = null)}
      onPointerCancel={() => (held.current = null)}
      onDoubleClick={() => set(usual[name])}
      onKeyDown={press}
    />
  );
}
