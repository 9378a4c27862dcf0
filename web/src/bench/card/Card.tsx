import { Button } from '@mui/material';
import { useEffect, useState } from 'react';
import type { NodeSchema, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { useScene } from '../../scene/store';
import { useLive } from '../live';
import { isShown, useSchemas } from '../schemas';
import { Row } from './Row';
import { SceneCard } from './SceneCard';

const groups = ['form', 'time', 'spread', 'look'] as const;
const titles = { form: 'Form', time: 'Time', spread: 'Spread', look: 'Look' };

/** The parameters of what is selected, drawn from its schema; of the scene when nothing is. */
export function Card() {
  const document = useScene((state) => state.document);
  const selected = useScene((state) => state.selected);
  const schemas = useSchemas();
  const node = selected ? document?.nodes?.[selected] : undefined;
  const schema = schemas.find((schema) => schema.name === node?.type);
  if (!document) return null;
  if (!selected || !node || !schema) return <SceneCard document={document} />;
  return <NodeCard key={selected} id={selected} schema={schema} document={document} />;
}

function NodeCard({ id, schema, document }: { id: string; schema: NodeSchema; document: Scene }) {
  const live = useLive();
  const status = useScene((state) => state.nodes[id]);
  const shown = schema.params.filter((param) => isShown(document, id, schema, param));
  return (
    <div className="card-body">
      <header>
        <p className="soft">{schema.title}</p>
        <GivenName id={id} name={document.nodes?.[id]?.name ?? ''} />
        <p className="soft">{schema.help}</p>
        {status?.messages.map((text) => (
          <p key={text} className={status.state === 'error' ? 'wrong' : 'warned'} role="alert">
            {text}
          </p>
        ))}
        {status && status.facts.length > 0 && <p className="facts mono">{status.facts.join(' · ')}</p>}
      </header>
      {groups.map((group) => {
        const params = shown.filter((param) => param.group === group);
        return params.length > 0 ? (
          <section key={group} aria-label={titles[group]}>
            <h3>{titles[group]}</h3>
            {params.map((param) => (
              <Row key={param.name} node={id} param={param} document={document} />
            ))}
          </section>
        ) : null;
      })}
      <section className="card-foot">
        <Button variant="outlined" onClick={() => live.edit(`remove ${schema.title}`, [remove(['nodes', id])])}>
          Remove node
        </Button>
      </section>
    </div>
  );
}

function GivenName({ id, name }: { id: string; name: string }) {
  const live = useLive();
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const keep = () => {
    const wanted = text.trim();
    if (wanted && wanted !== name) live.edit(`rename ${name}`, [put(['nodes', id, 'name'], wanted)]);
    else setText(name);
  };
  return (
    <input
      className="rename"
      aria-label="Node name"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  );
}

