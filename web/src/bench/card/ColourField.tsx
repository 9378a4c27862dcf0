/** A colour: a swatch that opens the browser's own chooser, and its name beside it. */
export function ColourField({ label, value, onKeep }: { label: string; value: string; onKeep: (colour: string) => void }) {
  return (
    <label className="colour">
      {/* The chooser tells every colour that is passed over; the last one counts. */}
      <input type="color" key={value} aria-label={label} defaultValue={value || '#f5efe3'} onBlur={(event) => event.target.value !== (value || '#f5efe3') && onKeep(event.target.value)} />
      <span className="mono">{value || 'own'}</span>
    </label>
  );
}
