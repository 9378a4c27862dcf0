import { useEffect, useState } from 'react';
import type { NodeStatus } from '../../../api/types';

export type FormulaMark = NodeStatus['marks'][number];

/** A number that is given by a formula. */
export interface Formula {
  formula: string;
}

export const isFormula = (value: unknown): value is Formula => typeof value === 'object' && value !== null && !Array.isArray(value) && 'formula' in value;

/** A text in three parts: before what is wrong, that, and after it; counted in characters, not in halves of them. */
export function marked(text: string, mark: Pick<FormulaMark, 'at' | 'length'>): [string, string, string] {
  const letters = [...text];
  const end = mark.at + mark.length;
  return [letters.slice(0, mark.at).join(''), letters.slice(mark.at, end).join('') || '␣', letters.slice(end).join('')];
}

/** A formula as text; what is wrong with it stands under it, the place marked. */
export function FormulaField(props: { label: string; text: string; mark?: FormulaMark; onKeep: (text: string) => void }) {
  const { label, text, mark } = props;
  const [typed, setTyped] = useState(text);
  useEffect(() => setTyped(text), [text]);
  const keep = () => {
    const wanted = typed.trim();
    if (wanted && wanted !== text) props.onKeep(wanted);
    else setTyped(text);
  };
  return (
    <span className="formula">
      <span className={`field${mark ? ' off' : ''}`}>
        <input
          aria-label={`${label}, formula`}
          aria-invalid={mark !== undefined}
          spellCheck={false}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={keep}
          onKeyDown={(event) => {
            if (event.key === 'Enter') event.currentTarget.blur();
            if (event.key === 'Escape') setTyped(text);
          }}
        />
      </span>
      {mark && <Wrong text={text} mark={mark} />}
    </span>
  );
}

function Wrong({ text, mark }: { text: string; mark: FormulaMark }) {
  const [before, wrong, after] = marked(text, mark);
  return (
    <span className="field-wrong" role="alert">
      <code>
        {before}
        <mark>{wrong}</mark>
        {after}
      </code>
      {mark.message}
    </span>
  );
}
