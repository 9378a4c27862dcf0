import { Button, Checkbox, MenuItem, Select, Tooltip } from '@mui/material';
import { memo, type ReactNode } from 'react';
import type { Op, Param, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { portsOf } from '../../scene/giving';
import { useScene } from '../../scene/store';
import { useLive } from '../live';
import { carriedOver, useSchemas, valueOf } from '../schemas';
import { DrawnField } from './drawn/DrawnField';
import { ColourField } from './fields/ColourField';
import { FormulaField, type FormulaMark } from './fields/FormulaField';
import { KindsField, type Kind } from './fields/KindsField';
import { Bead, NumberCell } from './fields/NumberCell';
import { NumberField } from './fields/NumberField';
import { exactDecimal, readFraction } from './fields/number';
import { AssetField } from './fields/files';
import { OwnLooks, OwnNumbers } from './fields/OwnFields';

/** Name, value, help; a double click on the name resets. */
export function RowFrame(props: { label: string; help: string; changed: boolean; onReset?: () => void; tall?: boolean; children: ReactNode }) {
  return (
    <div className={`row${props.tall ? ' tall' : ''}`}>
      <Tooltip title={props.onReset ? `${props.help} Double-click or press Delete on it to reset.` : props.help} placement="left">
        <span
          className={`row-name${props.changed ? ' changed' : ''}`}
          tabIndex={props.onReset ? 0 : undefined}
          role={props.onReset ? 'button' : undefined}
          aria-label={props.onReset ? `Reset ${props.label}` : undefined}
          onDoubleClick={props.onReset}
          onKeyDown={(event) => (event.key === 'Delete' || event.key === 'Backspace') && props.onReset?.()}
        >
          {props.label}
        </span>
      </Tooltip>
      <div className="row-value">{props.children}</div>
    </div>
  );
}

interface RowProps {
  nodes: string[];
  param: Param;
  document: Scene;
}

/** What a row looks at beside its own parameter: what is listed for each follower, how many there are. */
const besides = (param: Param): string[] => (param.role?.kind === 'delays' || param.values.kind === 'looks' ? ['followers', 'lead'] : []);

/** Other parameters change with every step of a drag; a row looks at few of them. */
export const sameRow = (a: RowProps, b: RowProps): boolean =>
  a.param === b.param &&
  a.document.space === b.document.space &&
  a.document.threads === b.document.threads &&
  a.document.frames === b.document.frames &&
  a.nodes.length === b.nodes.length &&
  a.nodes.every((id, i) => id === b.nodes[i] && [a.param.name, ...besides(a.param)].every((name) => a.document.nodes?.[id]?.params?.[name] === b.document.nodes?.[id]?.params?.[name]));

/** One parameter of one node, or of several that are changed together. */
export const Row = memo(function Row({ nodes, param, document }: RowProps) {
  const live = useLive();
  const marks = useScene((state) => (state.nodes[nodes.at(-1) ?? '']?.marks.some((mark) => mark.param === param.name) ? state.nodes[nodes.at(-1) ?? '']?.marks : undefined));
  const node = nodes.at(-1) ?? '';
  const at = (id: string) => ['nodes', id, 'params', param.name];
  const given = nodes.filter((id) => document.nodes?.[id]?.params?.[param.name] !== undefined);
  const all = (value: unknown): Op[] => nodes.map((id) => put(at(id), value));
  const schemas = useSchemas();
  const set = (value: unknown) => {
    // Of other parameters a row may have seen an older state.
    const { document: now, nodes: told } = useScene.getState();
    live.edit(`set ${param.label}`, [...all(value), ...nodes.flatMap((id) => carriedOver(schemas, now ?? document, id, param, value, told[id]?.alike ?? {}))]);
  };
  const show = (value: unknown) => live.preview(all(value));
  const value = valueOf(document, node, param);
  const mixed = nodes.some((id) => JSON.stringify(valueOf(document, id, param)) !== JSON.stringify(value));
  const ports = portsOf(param);
  const threads = Object.entries(document.threads ?? {}).filter(([, thread]) => nodes.includes(thread.to) && ports.includes(thread.port));
  const back = [...threads.map(([id]) => remove(['threads', id])), ...given.map((id) => remove(at(id)))];
  const reset = back.length > 0 ? () => live.edit(`reset ${param.label}`, back) : undefined;
  const tall = ['vector', 'several', 'per-thing', 'kinds', 'looks', 'drawn'].includes(param.values.kind);
  return (
    <RowFrame label={param.label} help={param.help} changed={back.length > 0} onReset={reset} tall={tall}>
      <Value param={param} value={value} document={document} set={set} show={show} reset={reset} nodes={nodes} marks={marks?.filter((mark) => mark.param === param.name) ?? []} />
      {mixed && <span className="mixed soft">not all the same</span>}
    </RowFrame>
  );
}, sameRow);

export interface ValueProps {
  nodes: string[];
  param: Param;
  value: unknown;
  document: Scene;
  set: (value: unknown) => void;
  show: (value: unknown) => void;
  reset?: () => void;
  marks: FormulaMark[];
}

const singles = ['number', 'whole', 'fraction'];

function Value(props: ValueProps) {
  const { param, nodes, document, marks } = props;
  if (!singles.includes(param.values.kind)) return <Plain {...props} />;
  return (
    <NumberCell label={param.label} numbers={nodes.map((node) => ({ node, port: param.name }))} param={param} document={document} mark={marks[0]}>
      <Plain {...props} />
    </NumberCell>
  );
}

function Plain(props: ValueProps) {
  const { param, value, set, show } = props;
  const { values } = param;
  switch (values.kind) {
    case 'number':
      return <NumberField label={param.label} value={Number(value)} unit={values.unit} min={values.min} max={values.max} onPreview={show} onKeep={(next) => set(next)} />;
    case 'whole':
      return <NumberField label={param.label} value={Number(value)} unit="none" min={values.min} max={values.max} whole onPreview={show} onKeep={(next) => set(next)} />;
    case 'fraction':
      return <FractionField {...props} text={String(value)} min={values.min} max={values.max} />;
    case 'choice':
      return (
        <Select size="small" fullWidth value={String(value)} onChange={(event) => set(event.target.value)} SelectDisplayProps={{ 'aria-label': param.label }}>
          {values.options.map((option) => (
            <MenuItem key={option} value={option}>
              {option}
            </MenuItem>
          ))}
        </Select>
      );
    case 'several':
      return <Several {...props} options={values.options} />;
    case 'flag':
      return <Checkbox size="small" checked={Boolean(value)} onChange={(event) => set(event.target.checked)} slotProps={{ input: { 'aria-label': param.label } }} />;
    case 'vector':
      return <VectorField {...props} />;
    case 'asset':
      return <AssetField {...props} media={values.media} />;
    case 'colour':
      return <ColourField label={param.label} value={String(value)} onKeep={set} />;
    case 'kinds':
      return <KindsField at={['nodes', props.nodes.at(-1) ?? '', 'params', param.name]} list={Array.isArray(value) ? (value as Kind[]) : []} things={values.things} />;
    case 'formula':
      return <FormulaField label={param.label} text={String(value)} mark={props.marks[0]} onKeep={set} />;
    case 'text':
      return <TextField {...props} />;
    case 'keys': {
      const count = Array.isArray(value) ? value.length : 0;
      const number = { node: props.nodes.at(-1) ?? '', port: '' };
      return (
        <span className="counted keyed">
          <Bead label={param.label} number={number} param={param} document={props.document} />
          <span className="mono">{count}</span>
        </span>
      );
    }
    case 'looks':
      return <OwnLooks {...props} things={values.things} />;
    case 'per-thing':
      return <OwnNumbers {...props} unit={values.unit} min={values.min} max={values.max} />;
    case 'drawn':
      return <DrawnField {...props} min={values.min} max={values.max} />;
    case 'points':
    case 'moved-points': {
      const count = Array.isArray(value) ? value.length : 0;
      return (
        <span className="counted">
          <span className="mono">{count}</span>
          {values.kind === 'moved-points' && props.reset && count > 0 && (
            <Button variant="outlined" onClick={props.reset}>
              Put back
            </Button>
          )}
        </span>
      );
    }
    default:
      return null;
  }
}

export const fractionValue = (text: string): number => {
  const [above = 0, below = 1] = text.split('/').map(Number);
  return above / below;
};

function FractionField(props: ValueProps & { text: string; min: number; max: number }) {
  const unit = props.param.values.kind === 'fraction' ? props.param.values.unit : 'none';
  return (
    <NumberField
      label={props.param.label}
      value={fractionValue(props.text)}
      text={props.text}
      unit={unit}
      min={props.min}
      max={props.max}
      read={(text) => fractionValue(readFraction(text))}
      onPreview={(next) => props.show(exactDecimal(next))}
      onKeep={(next, typed) => props.set(typed === undefined ? exactDecimal(next) : readFraction(typed))}
    />
  );
}

function VectorField({ nodes, param, value, document, set, show, marks }: ValueProps) {
  const unit = param.values.kind === 'vector' ? param.values.unit : 'none';
  const cell = (axis: number, name: string, field: ReactNode) => (
    <NumberCell label={`${param.label} ${name}`} numbers={nodes.map((node) => ({ node, port: `${param.name}.${name}` }))} param={param} document={document} mark={marks.find((mark) => mark.part === axis)}>
      {field}
    </NumberCell>
  );
  return (
    <>
      <AxisFields label={param.label} numbers={value as Three} unit={unit} flat={document.space === 'flat'} onPreview={show} onKeep={set} cell={cell} />
      {param.role?.kind === 'pivot' && <PivotButton />}
    </>
  );
}

/** Shows the points of the thing's box in the View, to click one. */
function PivotButton() {
  const picking = useScene((state) => state.picking);
  return (
    <Button variant="outlined" aria-pressed={picking === 'pivot'} onClick={() => useScene.setState({ picking: picking === 'pivot' ? null : 'pivot' })}>
      {picking === 'pivot' ? 'Done picking' : 'Pick on its box'}
    </Button>
  );
}

/** Numbers, or what gives them. */
type Three = [unknown, unknown, unknown];

/** Three numbers, or two in a flat scene, each with the letter of its axis. */
export function AxisFields(props: {
  label: string;
  numbers: Three;
  unit: Extract<Param['values'], { kind: 'vector' }>['unit'];
  flat: boolean;
  onPreview: (numbers: Three) => void;
  onKeep: (numbers: Three) => void;
  /** Wraps the field of an axis that may be given otherwise than by a number. */
  cell?: (axis: number, name: string, field: ReactNode) => ReactNode;
}) {
  const names = props.flat ? ['x', 'y'] : ['x', 'y', 'z'];
  const changed = (axis: number, next: number) => props.numbers.map((number, i) => (i === axis ? next : number)) as Three;
  const field = (name: string, axis: number) => {
    const number = props.numbers[axis];
    return <NumberField label={`${props.label} ${name}`} value={typeof number === 'number' ? number : 0} unit={props.unit} min={-1e9} max={1e9} onPreview={(next) => props.onPreview(changed(axis, next))} onKeep={(next) => props.onKeep(changed(axis, next))} />;
  };
  return (
    <span className="vector">
      {names.map((name, axis) => (
        <span key={name} className={`axis axis-${name}`}>
          <span className="axis-name" aria-hidden="true">
            {name}
          </span>
          {props.cell ? props.cell(axis, name, field(name, axis)) : field(name, axis)}
        </span>
      ))}
    </span>
  );
}

function Several({ param, value, document, set, options }: ValueProps & { options: string[] }) {
  const chosen = Array.isArray(value) ? (value as string[]) : [];
  const offered = document.space === 'flat' ? options.filter((option) => option !== 'back' && option !== 'front') : options;
  return (
    <span className="several" role="group" aria-label={param.label}>
      {offered.map((option) => (
        <label key={option}>
          <Checkbox
            size="small"
            checked={chosen.includes(option)}
            slotProps={{ input: { 'aria-label': option } }}
            onChange={(event) => set(event.target.checked ? options.filter((o) => o === option || chosen.includes(o)) : chosen.filter((o) => o !== option))}
          />
          {option}
        </label>
      ))}
    </span>
  );
}

/** Stands for a name that is not given. */
const UNNAMED = 'as it comes';

function TextField({ nodes, param, value, set }: ValueProps) {
  const names = useScene((state) => state.nodes[nodes.at(-1) ?? '']?.names[param.name]);
  const text = String(value);
  if (names && (text === '' || names.includes(text))) {
    return (
      <Select size="small" fullWidth displayEmpty value={text} onChange={(event) => set(event.target.value)} SelectDisplayProps={{ 'aria-label': param.label }}>
        {['', ...new Set(names)].map((name) => (
          <MenuItem key={name} value={name}>
            {name || UNNAMED}
          </MenuItem>
        ))}
      </Select>
    );
  }
  return (
    <span className="field">
      <input
        key={String(value)}
        aria-label={param.label}
        defaultValue={String(value)}
        placeholder="all"
        onBlur={(event) => event.target.value !== value && set(event.target.value)}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
      />
    </span>
  );
}
