import { Button, MenuItem, Select } from '@mui/material';
import type { Param } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useLive } from '../../live';
import { ColourField } from './ColourField';
import { NumberField } from './NumberField';
import { listed, ranksOf } from './own';
import type { ValueProps } from '../Row';

/** Most things whose own numbers are listed. */
const MOST_LISTED = 12;

/** How a single follower looks, as a document holds it; what is left out is as the lead. */
interface OwnLook {
  id: string;
  thing?: string;
  letter?: string;
  colour?: string;
  scale?: number;
}

/** The things that have a number of their own; of followers all. */
export function OwnNumbers(props: ValueProps & { unit: Extract<Param['values'], { kind: 'per-thing' }>['unit']; min: number; max: number }) {
  const live = useLive();
  const list = (Array.isArray(props.value) ? props.value : []) as { id: string; value: number }[];
  const ranks = props.param.role?.kind === 'delays' ? ranksOf(props.document, props.nodes.at(-1) ?? '') : null;
  const { shown, absent } = listed(list, ranks, (id) => ({ id, value: 0 }));
  if (shown.length === 0 && absent === 0) return <span className="counted soft">none</span>;
  const ops = (id: string, value: number) => props.nodes.map((node) => put(['nodes', node, 'params', props.param.name, id], { id, value }));
  return (
    <span className="vector">
      {shown.slice(0, MOST_LISTED).map(({ id, value }) => (
        <span key={id} className="axis own">
          <span className="mono axis-name">{Number(id) + 1}</span>
          <NumberField
            label={`${props.param.label} of thing ${Number(id) + 1}`}
            value={value}
            unit={props.unit}
            min={props.min}
            max={props.max}
            onPreview={(next) => live.preview(ops(id, next))}
            onKeep={(next) => live.edit(`set ${props.param.label}`, ops(id, next))}
          />
        </span>
      ))}
      {shown.length > MOST_LISTED && <span className="soft">{`and ${shown.length - MOST_LISTED} more`}</span>}
      <Absent count={absent} />
      {list.length > 0 && (
        <Button variant="outlined" onClick={props.reset}>
          Put back
        </Button>
      )}
    </span>
  );
}

/** What is kept for followers that are not there now. */
export function Absent({ count }: { count: number }) {
  return count > 0 ? <span className="soft">{`${count} more kept for ${count === 1 ? 'one that is' : 'some that are'} not there`}</span> : null;
}

/** The looks of single followers: what each is, its colour and its size. */
export function OwnLooks(props: ValueProps & { things: string[] }) {
  const live = useLive();
  const node = props.nodes.at(-1) ?? '';
  const at = (id: string) => ['nodes', node, 'params', props.param.name, id];
  const list = (Array.isArray(props.value) ? props.value : []) as OwnLook[];
  const { shown, absent } = listed(list, ranksOf(props.document, node), (id): OwnLook => ({ id }));
  if (shown.length === 0 && absent === 0) return <span className="counted soft">none</span>;
  const ops = (look: OwnLook) => [put(at(look.id), look)];
  const keep = (what: string, look: OwnLook) => live.edit(`set ${what} of a follower`, ops(look));
  return (
    <span className="looks">
      <span className="look soft" aria-hidden="true">
        <span />
        <span>shown as</span>
        <span>colour</span>
        <span>size</span>
      </span>
      {shown.slice(0, MOST_LISTED).map((look) => {
        const number = Number(look.id) + 1;
        const named = (what: string) => `${what} of thing ${number}`;
        return (
          <span key={look.id} className="look" role="group" aria-label={`thing ${number}`}>
            <span className="mono axis-name">{number}</span>
            <Select size="small" displayEmpty value={look.thing ?? ''} onChange={(event) => keep('thing', { ...look, thing: event.target.value })} SelectDisplayProps={{ 'aria-label': named('thing') }}>
              <MenuItem value="">as the lead</MenuItem>
              {props.things.map((thing) => (
                <MenuItem key={thing} value={thing}>
                  {thing}
                </MenuItem>
              ))}
            </Select>
            <ColourField label={named('colour')} value={look.colour ?? ''} onKeep={(colour) => keep('colour', { ...look, colour })} />
            <NumberField label={named('size')} value={look.scale ?? 1} unit="none" min={1e-3} max={1e3} onPreview={(scale) => live.preview(ops({ ...look, scale }))} onKeep={(scale) => keep('size', { ...look, scale })} />
            {look.thing === 'letter' && (
              <span className="field">
                <input key={look.letter ?? ''} aria-label={named('letter')} defaultValue={look.letter ?? ''} maxLength={8} onBlur={(event) => event.target.value !== (look.letter ?? '') && keep('letter', { ...look, letter: event.target.value })} onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()} />
              </span>
            )}
          </span>
        );
      })}
      {shown.length > MOST_LISTED && <span className="soft">{`and ${shown.length - MOST_LISTED} more`}</span>}
      <Absent count={absent} />
      {list.length > 0 && (
        <Button variant="outlined" onClick={props.reset}>
          Put back
        </Button>
      )}
    </span>
  );
}
