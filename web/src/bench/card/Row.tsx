import { Button, Checkbox, MenuItem, Select, Tooltip } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import { api, Refused } from '../../api/client';
import type { Param, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { say } from '../../scene/store';
import { useLive } from '../live';
import { valueOf } from '../schemas';
import { NumberField } from './NumberField';
import { exactDecimal, readFraction } from './number';

/** Name, value, help; a double click on the name resets. */
export function RowFrame(props: { label: string; help: string; changed: boolean; onReset?: () => void; tall?: boolean; children: ReactNode }) {
  return (
    <div className={`row${props.tall ? ' tall' : ''}`}>
      <Tooltip title={props.onReset ? `${props.help} Double-click resets it.` : props.help} placement="left">
        <span className={`row-name${props.changed ? ' changed' : ''}`} onDoubleClick={props.onReset}>
          {props.label}
        </span>
      </Tooltip>
      <div className="row-value">{props.children}</div>
    </div>
  );
}

/** One parameter of a node. */
export function Row({ node, param, document }: { node: string; param: Param; document: Scene }) {
  const live = useLive();
  const at = ['nodes', node, 'params', param.name];
  const given = document.nodes?.[node]?.params?.[param.name] !== undefined;
  const set = (value: unknown) => live.edit(`set ${param.label}`, [put(at, value)]);
  const show = (value: unknown) => live.preview([put(at, value)]);
  const value = valueOf(document, node, param);
  const reset = given ? () => live.edit(`reset ${param.label}`, [remove(at)]) : undefined;
  const tall = param.values.kind === 'vector' || param.values.kind === 'several';
  return (
    <RowFrame label={param.label} help={param.help} changed={given} onReset={reset} tall={tall}>
      <Value param={param} value={value} document={document} set={set} show={show} reset={reset} node={node} />
    </RowFrame>
  );
}

interface ValueProps {
  node: string;
  param: Param;
  value: unknown;
  document: Scene;
  set: (value: unknown) => void;
  show: (value: unknown) => void;
  reset?: () => void;
}

function Value(props: ValueProps) {
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
      return <AssetField {...props} />;
    case 'text':
      return <TextField {...props} />;
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

const fractionValue = (text: string): number => {
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

function VectorField({ param, value, document, set, show }: ValueProps) {
  const numbers = value as [number, number, number];
  const unit = param.values.kind === 'vector' ? param.values.unit : 'none';
  const names = document.space === 'flat' ? ['x', 'y'] : ['x', 'y', 'z'];
  const changed = (axis: number, next: number) => numbers.map((number, i) => (i === axis ? next : number));
  return (
    <span className="vector">
      {names.map((name, axis) => (
        <span key={name} className={`axis axis-${name}`}>
          <span className="axis-name" aria-hidden="true">
            {name}
          </span>
          <NumberField
            label={`${param.label} ${name}`}
            value={numbers[axis] ?? 0}
            unit={unit}
            min={-1e9}
            max={1e9}
            onPreview={(next) => show(changed(axis, next))}
            onKeep={(next) => set(changed(axis, next))}
          />
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

function TextField({ param, value, set }: ValueProps) {
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

function AssetField({ node, param, value }: ValueProps) {
  const live = useLive();
  const input = useRef<HTMLInputElement>(null);
  const bring = async (file: File) => {
    try {
      const kept = await api.keepSvg(await file.text());
      live.edit(`bring in ${file.name}`, [put(['assets', file.name], { hash: kept.hash, media: kept.media }), put(['nodes', node, 'params', param.name], file.name)]);
    } catch (error) {
      say(error instanceof Refused ? error.message : 'The file could not be read.');
    }
  };
  return (
    <>
      <Button variant="outlined" fullWidth className="file" onClick={() => input.current?.click()}>
        {String(value) || 'Choose a file'}
      </Button>
      <input
        ref={input}
        type="file"
        hidden
        accept=".svg,image/svg+xml"
        aria-label={param.label}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void bring(file);
          event.target.value = '';
        }}
      />
    </>
  );
}
