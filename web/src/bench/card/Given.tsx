import { Divider, ListSubheader, Menu, MenuItem, Tooltip } from '@mui/material';
import { useState } from 'react';
import type { Op, Param, Scene } from '../../api/types';
import { clock } from '../../scene/clock';
import { freshId } from '../../scene/edits';
import { give, giveKeys, howGiven, plain, signalsFor, threadTo, valueNow, type How } from '../../scene/giving';
import type { NumberName } from '../../scene/keyed';
import { select, useScene } from '../../scene/store';
import { useLive } from '../live';
import { useSchemas } from '../schemas';
import { giver, threading } from '../weave/work';

const signs: Record<How, string> = { number: '12', keys: '', formula: 'f(x)', thread: '' };
const words: Record<How, string> = { number: 'Number', keys: 'Keys', formula: 'Formula', thread: 'Signal' };

/** Signals that are made for a number at once. */
const FRESH = ['keys', 'wave', 'noise', 'ramp'];

/** A number as a formula: every number there is a float. */
export const asFormula = (value: unknown): string => {
  const text = typeof value === 'string' ? value : String(Number(Number(value).toPrecision(9)));
  return /^-?\d+$/.test(text) ? `${text}.0` : text;
};

/** How a number is given, and the choice of another way; what it is at the playhead stays. */
export function Given({ label, numbers, param, document }: { label: string; numbers: NumberName[]; param: Param; document: Scene }) {
  const live = useLive();
  const schemas = useSchemas();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const first = numbers[0];
  if (!first) return null;
  const how = howGiven(document, first, param);
  const change = (word: string, ops: (number: NumberName, value: number, frame: number) => Op[]) => {
    setAnchor(null);
    const frame = clock.here;
    const { signals } = useScene.getState();
    live.edit(
      `give ${label} ${word}`,
      numbers.flatMap((number) => ops(number, valueNow(document, number, param, signals, frame), frame)),
    );
  };
  const formula = (value: number) => {
    const standing = document.nodes?.[first.node]?.params?.[param.name];
    return asFormula(how === 'number' && typeof standing === 'string' ? standing : value);
  };
  const threaded = (from: string) => change('by a signal', (number) => threading(document, schemas, from, number.node, number.port));
  const fresh = (type: string) => {
    const schema = schemas.find((schema) => schema.name === type);
    if (!schema) return;
    const id = freshId(type);
    const [node] = numbers;
    change('by a signal', (number, value, frame) => [
      ...(number === node ? giver(document, schema, id, number, { value, frame }) : []),
      ...threading(document, schemas, id, number.node, number.port),
    ]);
    select(id);
  };
  const known = signalsFor(document, schemas, first.node);
  return (
    <>
      <Tooltip title={`Given by ${how === 'number' ? 'a number' : how === 'keys' ? 'keys' : how === 'formula' ? 'a formula' : 'a signal'}: choose how`}>
        <button type="button" className={`given ${how}`} aria-haspopup="menu" aria-label={`How ${label} is given: ${how}`} onClick={(event) => setAnchor(event.currentTarget)}>
          {signs[how]}
        </button>
      </Tooltip>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} transitionDuration={0}>
        <MenuItem selected={how === 'number'} onClick={() => change('as a number', (number, value) => give(document, number, param, plain(param, value)))}>
          {words.number}
        </MenuItem>
        <MenuItem selected={how === 'keys'} onClick={() => (how === 'keys' ? setAnchor(null) : change('by keys', (number, value, frame) => giveKeys(document, number, param, frame, value)))}>
          {words.keys}
        </MenuItem>
        <MenuItem selected={how === 'formula'} onClick={() => (how === 'formula' ? setAnchor(null) : change('by a formula', (number, value) => give(document, number, param, { formula: formula(value) })))}>
          {words.formula}
        </MenuItem>
        <Divider />
        <ListSubheader>Signals</ListSubheader>
        {known.map((id) => (
          <MenuItem key={id} selected={threadTo(document, first)?.[1].from === id} onClick={() => threaded(id)}>
            {document.nodes?.[id]?.name}
          </MenuItem>
        ))}
        {FRESH.map((type) => (
          <MenuItem key={type} onClick={() => fresh(type)}>
            {`New ${schemas.find((schema) => schema.name === type)?.title ?? type}`}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
