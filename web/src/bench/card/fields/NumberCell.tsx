import { anywhere } from '../../keyboard/anywhere';
import { withKey } from '../../keyboard/table';
import { Tooltip } from '@mui/material';
import type { Param, Scene } from '../../../api/types';
import { useFrame } from '../../../scene/clock';
import { give, howGiven, keyAt, threadTo, unkeyed, valueNow } from '../../../scene/giving';
import { keysOf, valueAtFrame, type NumberName } from '../../../scene/keyed';
import { select, useScene } from '../../../scene/store';
import { useLive } from '../../live';
import { FormulaField, isFormula, type FormulaMark } from './FormulaField';
import { Given } from '../Given';
import { NumberField, TakesFormula } from './NumberField';
import { shownNumber } from './number';

interface Cell {
  label: string;
  /** The number in each of the nodes that are changed together; the last is shown. */
  numbers: NumberName[];
  param: Param;
  document: Scene;
  mark?: FormulaMark;
  /** The field of a plain number. */
  children: React.ReactNode;
}

/** A number however it is given: plain, by keys, by a formula, by a thread. */
export function NumberCell(props: Cell) {
  const { label, numbers, param, document } = props;
  const live = useLive();
  const chosen = useScene((state) => numbers.some((number) => number.node === state.number?.node && number.port === state.number.port));
  const number = numbers.at(-1);
  // What cannot change takes arithmetic as it is typed.
  if (!number || param.drives === 'fixed') return props.children;
  const how = howGiven(document, number, param);
  const value = document.nodes?.[number.node]?.params?.[param.name];
  const part = number.port.includes('.') && Array.isArray(value) ? value['xyz'.indexOf(number.port.split('.')[1] ?? 'x')] : value;
  const formula = (text: string) => live.edit(`set ${label}`, numbers.flatMap((each) => give(document, each, param, { formula: text })));
  return (
    <span className={`number-or-formula${chosen ? ' numbered' : ''}`} onFocusCapture={() => useScene.setState({ number })}>
      {how === 'keys' ? (
        <KeyedField {...props} number={number} />
      ) : how === 'thread' ? (
        <ThreadField {...props} number={number} />
      ) : isFormula(part) ? (
        <FormulaField label={label} text={part.formula} mark={props.mark} onKeep={formula} />
      ) : (
        <span className="plain">
          <TakesFormula.Provider value={formula}>{props.children}</TakesFormula.Provider>
        </span>
      )}
      <Given label={label} numbers={numbers} param={param} document={document} />
    </span>
  );
}

type Own = Cell & { number: NumberName };

const limits = (param: Param): { min: number; max: number } => ('min' in param.values ? { min: param.values.min, max: param.values.max } : { min: -1e9, max: 1e9 });
const unitOf = (param: Param) => ('unit' in param.values ? param.values.unit : 'none');

/** The value at the playhead; changing it sets a key there. */
function KeyedField({ label, numbers, number, param, document }: Own) {
  const live = useLive();
  const frame = useFrame();
  const keyed = keysOf(document, number);
  if (!keyed) return null;
  const at = (value: number) => numbers.flatMap((each) => keyAt(document, each, frame, value).ops);
  return (
    <span className="keyed">
      <Bead label={label} number={number} param={param} document={document} />
      <NumberField sets label={label} value={Number(valueAtFrame(keyed, document.frames, frame).toPrecision(9))} unit={unitOf(param)} {...limits(param)} onPreview={(value) => live.preview(at(value))} onKeep={(value) => live.edit(`key ${label}`, at(value))} />
    </span>
  );
}

/** Whether the playhead is on a key; a click sets one or takes it away. */
export function Bead({ label, number, param, document }: Omit<Own, 'children' | 'numbers'>) {
  const live = useLive();
  const frame = useFrame();
  const there = keysOf(document, number)?.keys.find((key) => Math.abs(key.frame - frame) < 1e-6);
  const press = () => live.edit(there ? `remove a key of ${label}` : `key ${label}`, there ? unkeyed(document, number, param, there.id) : keyAt(document, number, frame).ops);
  return (
    <Tooltip title={there ? 'On a key: click to remove it' : withKey(anywhere, 'Key', 'Between keys: click to set one here')}>
      <button type="button" className={`key-bead${there ? ' on' : ''}`} aria-pressed={there !== undefined} aria-label={there ? `Remove the key of ${label} here` : `Set a key of ${label} here`} onClick={press} />
    </Tooltip>
  );
}

/** What a signal gives at the playhead, and the way to it. */
function ThreadField({ label, number, param, document }: Own) {
  const frame = useFrame();
  const signals = useScene((state) => state.signals);
  const from = threadTo(document, number)?.[1].from ?? '';
  const name = document.nodes?.[from]?.name ?? '';
  return (
    <span className="threaded">
      <button type="button" className="link" aria-label={`${label} comes from ${name}`} onClick={() => select(from)}>
        {name}
      </button>
      <span className="mono soft">{signals?.header.node === number.node ? shownNumber(valueNow(document, number, param, signals, frame)) : ''}</span>
    </span>
  );
}
