import { night } from '../../../theme/tokens';
import { Button, IconButton, MenuItem, Select } from '@mui/material';
import { freshId, put, remove } from '../../../scene/edits';
import { useLive } from '../../live';
import { ColourField } from './ColourField';
import { NumberField } from './NumberField';

/** A kind of thing, as a document holds it. */
export interface Kind {
  id: string;
  thing?: string;
  letter?: string;
  weight?: number;
  scale?: number;
  colour?: string;
  symmetry?: number;
}

/** Colours for new kinds, one after the other: those of the fair. */
const dyes = [night.lamp, night.persimmon, night.sideward, night.mulberry, night.edge].map((colour) => colour.toLowerCase());

/** A kind to begin with, after those that are there. */
export function anotherKind(list: readonly Kind[]): Kind {
  return { id: freshId('kind'), weight: 1, scale: 1, colour: dyes[list.length % dyes.length] };
}

/** How much of all a kind is, as it is said beside its weight. */
export function shareOf(list: readonly Kind[], kind: Kind): string {
  const whole = list.reduce((sum, other) => sum + (other.weight ?? 1), 0);
  return whole > 0 ? `${Math.round((100 * (kind.weight ?? 1)) / whole)} %` : '0 %';
}

/** Kinds of thing: what each is shown as, how often, how large, of which colour. */
export function KindsField({ at, list, things }: { at: string[]; list: Kind[]; things: string[] }) {
  const live = useLive();
  const keep = (what: string, kind: Kind) => live.edit(`set ${what} of a kind`, [put([...at, kind.id], kind)]);
  const show = (kind: Kind) => live.preview([put([...at, kind.id], kind)]);
  const add = () => {
    const kind = anotherKind(list);
    live.edit('add a kind', [list.length === 0 ? put(at, [kind]) : put([...at, kind.id], kind)]);
  };
  return (
    <div className="kinds">
      {list.map((kind, i) => {
        const named = (what: string) => `${what} of kind ${i + 1}`;
        const number = (what: 'weight' | 'scale' | 'symmetry', label: string, min: number, max: number, whole = false) => (
          <NumberField label={named(label)} value={kind[what] ?? 1} unit="none" min={min} max={max} whole={whole} onPreview={(next) => show({ ...kind, [what]: next })} onKeep={(next) => keep(label, { ...kind, [what]: next })} />
        );
        return (
          <fieldset key={kind.id} className="kind" aria-label={`kind ${i + 1}`}>
            <Select size="small" displayEmpty value={kind.thing ?? ''} onChange={(event) => keep('thing', { ...kind, thing: event.target.value })} SelectDisplayProps={{ 'aria-label': named('thing') }}>
              <MenuItem value="">as the Output</MenuItem>
              {things.map((thing) => (
                <MenuItem key={thing} value={thing}>
                  {thing}
                </MenuItem>
              ))}
            </Select>
            <ColourField label={named('colour')} value={kind.colour ?? ''} onKeep={(colour) => keep('colour', { ...kind, colour })} />
            <IconButton size="small" aria-label={`Remove kind ${i + 1}`} onClick={() => live.edit('remove a kind', [remove([...at, kind.id])])}>
              ×
            </IconButton>
            {kind.thing === 'letter' && (
              <label>
                <span>letter</span>
                <span className="field">
                  <input key={kind.letter ?? ''} aria-label={named('letter')} defaultValue={kind.letter ?? ''} maxLength={8} onBlur={(event) => event.target.value !== (kind.letter ?? '') && keep('letter', { ...kind, letter: event.target.value })} onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()} />
                </span>
              </label>
            )}
            <label>
              <span>weight</span>
              {number('weight', 'weight', 0, 1e6)}
              <span className="soft mono">{shareOf(list, kind)}</span>
            </label>
            <label>
              <span>size</span>
              {number('scale', 'size', 1e-3, 1e3)}
              <span className="soft">times</span>
            </label>
            <label title="After one of so many equal parts of a turn it looks the same; 0: after any turn.">
              <span>alike in</span>
              {number('symmetry', 'symmetry', 0, 1000, true)}
              <span className="soft">parts</span>
            </label>
          </fieldset>
        );
      })}
      <Button variant="outlined" onClick={add}>
        Add a kind
      </Button>
    </div>
  );
}
