import { useEffect, useRef } from 'react';
import { night } from '../../../theme/tokens';

/** What a colour is where none is given. */
const OWN = night.paper.toLowerCase();

/** A colour: a swatch that opens the browser's own chooser, and its name beside it. */
export function ColourField({ label, value, onKeep }: { label: string; value: string; onKeep: (colour: string) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const kept = useRef(onKeep);
  kept.current = onKeep;
  useEffect(() => {
    // React's own onChange tells every colour that is passed over; the browser's tells the one that was chosen.
    const element = input.current;
    const chosen = () => element && kept.current(element.value);
    element?.addEventListener('change', chosen);
    return () => element?.removeEventListener('change', chosen);
  }, [value]);
  return (
    <label className="colour">
      <input ref={input} type="color" key={value} aria-label={label} defaultValue={value || OWN} />
      <span className="mono">{value || 'own'}</span>
    </label>
  );
}
