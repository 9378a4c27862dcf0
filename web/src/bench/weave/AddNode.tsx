import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import type { NodeSchema } from '../../api/types';

/** The types that all typed words fit; the one that is called so comes first, then those whose name begins so, then those whose name holds it. */
export function foundNodes(schemas: NodeSchema[], text: string): NodeSchema[] {
  const typed = text.trim().toLowerCase();
  const words = typed.split(/\s+/).filter(Boolean);
  const fits = (schema: NodeSchema) => words.every((word) => `${schema.title} ${schema.group} ${schema.help}`.toLowerCase().includes(word));
  const rank = ({ title }: NodeSchema) => {
    const name = title.toLowerCase();
    return name === typed ? 0 : name.startsWith(typed) ? 1 : name.includes(typed) ? 2 : 3;
  };
  return schemas.filter(fits).sort((a, b) => rank(a) - rank(b));
}

/**
 * Adding by typing: letters narrow the list, Enter adds what is marked. A pointer marks by moving only: what comes to
 * lie under one that rests is not chosen by it.
 */
export function AddNode({ schemas, onAdd, onClose }: { schemas: NodeSchema[]; onAdd: (schema: NodeSchema) => void; onClose: () => void }) {
  const [text, setText] = useState('');
  const [marked, setMarked] = useState(0);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => input.current?.focus(), []);
  const found = foundNodes(schemas, text);
  const at = Math.min(marked, Math.max(0, found.length - 1));
  const press = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === 'Escape') onClose();
    else if (event.key === 'ArrowDown') setMarked(Math.min(found.length - 1, at + 1));
    else if (event.key === 'ArrowUp') setMarked(Math.max(0, at - 1));
    else if (event.key === 'Enter' && found[at]) onAdd(found[at]);
    else return;
    event.preventDefault();
  };
  return (
    <div className="add-node" role="dialog" aria-label="Add a node">
      <input
        ref={input}
        value={text}
        placeholder="type a node's name"
        aria-label="Node to add"
        role="combobox"
        aria-expanded="true"
        aria-controls="add-list"
        onChange={(event) => {
          setText(event.target.value);
          setMarked(0);
        }}
        onKeyDown={press}
        onBlur={(event) => !event.currentTarget.parentElement?.contains(event.relatedTarget) && onClose()}
      />
      <ul id="add-list" role="listbox">
        {found.map((schema, i) => (
          <li key={schema.name} role="option" aria-selected={i === at} tabIndex={-1} onPointerDown={(event) => event.preventDefault()} onClick={() => onAdd(schema)} onPointerMove={() => setMarked(i)}>
            <strong>{schema.title}</strong>
            <span className="soft add-group">{schema.group}</span>
            <span className="soft add-help">{schema.help}</span>
          </li>
        ))}
        {found.length === 0 && <li className="soft none">{schemas.length === 0 ? 'The nodes are on their way.' : 'No node is called that.'}</li>}
      </ul>
    </div>
  );
}
