import { Button, LinearProgress, Tooltip } from '@mui/material';
import { memo, useEffect, useState } from 'react';
import type { NodeSchema, NodeStatus, Param, Scene } from '../../api/types';
import { put, remove } from '../../scene/edits';
import { portWords } from '../../scene/giving';
import { partDone, progressWords, type Progress } from '../../scene/progress';
import { select, selectAll, useScene } from '../../scene/store';
import { useLive } from '../live';
import { withKey } from '../keyboard/table';
import { isShown, useSchemas } from '../schemas';
import { sameWeave } from '../weave/lay';
import { weaveKeys } from '../weave/keys';
import { marking, marks } from './marks';
import { Row } from './Row';
import { Bake, BakeAgain } from './Bake';
import { SceneCard } from './SceneCard';
import { Recorded } from './recorded/Recorded';
import './card.css';

const groups = ['form', 'among', 'after', 'time', 'spread', 'look'] as const;
const titles = { form: 'Form', among: 'Among others', after: 'Goes after', time: 'Time', spread: 'Spread', look: 'Look' };

/** The parameters of what is selected, drawn from its schema; of the scene when nothing is. */
export function Card() {
  const document = useScene((state) => state.document);
  const chosen = useScene((state) => state.chosen);
  const schemas = useSchemas();
  if (!document) return null;
  const last = chosen.at(-1);
  const node = last ? document.nodes?.[last] : undefined;
  if (!last || !node) return <SceneCard document={document} />;
  if (chosen.length > 1) return <SeveralCard ids={chosen} schemas={schemas} document={document} />;
  const schema = schemas.find((schema) => schema.name === node.type);
  return schema ? <NodeCard key={last} id={last} schema={schema} document={document} /> : <UnknownCard id={last} document={document} loaded={schemas.length > 0} />;
}

/** A type of node that this version of the program does not have. */
function UnknownCard({ id, document, loaded }: { id: string; document: Scene; loaded: boolean }) {
  const status = useScene((state) => state.nodes[id]);
  const params = Object.keys(document.nodes?.[id]?.params ?? {});
  if (!loaded) return null;
  return (
    <div className="card-body">
      <header>
        <p className="soft">{document.nodes?.[id]?.type}</p>
        <GivenName id={id} name={document.nodes?.[id]?.name ?? ''} />
        {status?.messages.map((text) => (
          <p key={text} className="wrong" role="alert">
            {text}
          </p>
        ))}
        {params.length > 0 && <p className="soft">{`Kept as it is: ${params.join(', ')}.`}</p>}
      </header>
      <Foot ids={[id]} document={document} />
    </div>
  );
}

function NodeCard({ id, schema, document }: { id: string; schema: NodeSchema; document: Scene }) {
  const status = useScene((state) => state.nodes[id]);
  return (
    <div className="card-body">
      <header>
        <p className="soft">{schema.title}</p>
        <GivenName id={id} name={document.nodes?.[id]?.name ?? ''} />
        <p className="soft">{schema.help}</p>
        <Marks ids={[id]} document={document} schemas={[schema]} />
        {status?.messages.map((text) => (
          <p key={text} className={status.state === 'error' ? 'wrong' : 'warned'} role="alert">
            {text}
          </p>
        ))}
        {status?.progress && <Working id={id} progress={status.progress} />}
        {status && status.mends.length > 0 && <Mends id={id} mends={status.mends} />}
        {status && status.facts.length > 0 && <p className="facts mono">{status.facts.join(' · ')}</p>}
      </header>
      {status?.recorded && <Recorded id={id} recorded={status.recorded} locked={document.nodes?.[id]?.locked === true} />}
      <Sections ids={[id]} params={schema.params.filter((param) => isShown(document, id, schema, param))} document={document} />
      <Uses ids={[id]} schema={schema} document={document} />
      {schema.output === 'motion' && (document.nodes?.[id]?.baked ? <BakeAgain key={id} id={id} document={document} /> : <Bake key={id} id={id} document={document} />)}
      <Foot ids={[id]} document={document} />
    </div>
  );
}

/** How far what is worked out in the background is, and the way to stop it. */
function Working({ id, progress }: { id: string; progress: Progress }) {
  const live = useLive();
  return (
    <div className="working">
      <LinearProgress variant="determinate" value={partDone(progress) * 100} aria-label="worked out" color={progress.stopped ? 'inherit' : 'primary'} />
      <span className="mono" role="status">
        {progressWords(progress)}
      </span>
      <Button variant="outlined" onClick={() => live.hold(id, !progress.stopped)}>
        {progress.stopped ? 'Go on' : 'Stop'}
      </Button>
    </div>
  );
}

/** Values that would mend what is said, each by a click. */
function Mends({ id, mends }: { id: string; mends: NodeStatus['mends'] }) {
  const live = useLive();
  return (
    <div className="mends">
      {mends.map(({ node, param, value, text }) => (
        <Button key={text} variant="outlined" className="offer" onClick={() => live.edit(text.split(' (')[0] ?? text, [put(['nodes', node ?? id, 'params', param], value)])}>
          {text}
        </Button>
      ))}
    </div>
  );
}

function Sections({ ids, params, document }: { ids: string[]; params: Param[]; document: Scene }) {
  const locked = ids.some((id) => document.nodes?.[id]?.locked);
  return (
    <fieldset className="card-rows" disabled={locked}>
      {groups.map((group) => {
        const some = params.filter((param) => param.group === group);
        return some.length > 0 ? (
          <section key={group} aria-label={titles[group]}>
            <h3>{titles[group]}</h3>
            {some.map((param) => (
              <Row key={param.name} nodes={ids} param={param} document={document} />
            ))}
          </section>
        ) : null;
      })}
    </fieldset>
  );
}

/** Parameters that all have: of the same name, meaning and range. */
export function shared(schemas: NodeSchema[]): Param[] {
  const [first, ...rest] = schemas;
  const kept = (param: Param) => !['points', 'moved-points', 'per-thing', 'kinds', 'looks', 'keys'].includes(param.values.kind);
  const same = (a: Param, b: Param) => a.name === b.name && a.label === b.label && JSON.stringify(a.values) === JSON.stringify(b.values);
  return (first?.params ?? []).filter((param) => kept(param) && rest.every((schema) => schema.params.some((other) => same(param, other))));
}

function SeveralCard({ ids, schemas, document }: { ids: string[]; schemas: NodeSchema[]; document: Scene }) {
  const known = ids.map((id) => schemas.find((schema) => schema.name === document.nodes?.[id]?.type));
  const all = known.every((schema) => schema !== undefined) ? (known) : [];
  const params = shared(all).filter((param) => ids.every((id, i) => all[i] && isShown(document, id, all[i], param)));
  return (
    <div className="card-body">
      <header>
        <p className="soft">Changed together</p>
        <h2>{`${ids.length} nodes`}</h2>
        <p className="soft">{ids.map((id) => document.nodes?.[id]?.name).join(', ')}</p>
        <Marks ids={ids} document={document} schemas={all} />
        {params.length === 0 && <p>They have no number in common.</p>}
      </header>
      <Sections ids={ids} params={params} document={document} />
      <Foot ids={ids} document={document} />
    </div>
  );
}

interface Of {
  ids: string[];
  document: Scene;
}

/** What looks at names, threads and marks only need not be drawn anew with every step of a drag. */
const sameThere = <T extends Of>(a: T, b: T): boolean => a.ids.join() === b.ids.join() && sameWeave(a.document, b.document);

const Marks = memo(function Marks({ ids, document, schemas }: Of & { schemas: NodeSchema[] }) {
  const live = useLive();
  const passes = schemas.every((schema) => schema.inputs.length > 0);
  return (
    <div className="marks" role="group" aria-label="Marks">
      {marks.map(({ field, title, help }) => {
        const on = ids.every((id) => document.nodes?.[id]?.[field] === true);
        if (field === 'bypassed' && !passes && !on) return null;
        return (
          <Tooltip key={field} title={withKey(weaveKeys, title, help)}>
            <button type="button" className="mark" aria-pressed={on} onClick={() => live.edit(title.toLowerCase(), marking(document, ids, field))}>
              {title}
            </button>
          </Tooltip>
        );
      })}
    </div>
  );
}, sameThere);

/** Where a node takes from and who takes from it, with the way there. */
const Uses = memo(function Uses({ ids, schema, document }: Of & { schema: NodeSchema }) {
  const schemas = useSchemas();
  const id = ids[0] ?? '';
  const threads = Object.values(document.threads ?? {});
  const from = schema.inputs.map((port) => ({ port, thread: threads.find((thread) => thread.to === id && thread.port === port.name) }));
  const to = threads.filter((thread) => thread.from === id);
  if (from.length === 0 && to.length === 0 && !threads.some((thread) => thread.to === id)) return null;
  const link = (node: string) => (
    <button type="button" className="link" onClick={() => select(node)}>
      {document.nodes?.[node]?.name}
    </button>
  );
  return (
    <section aria-label="Threads">
      <h3>Threads</h3>
      {from.map(({ port, thread }) => (
        <p key={port.name} className="use">
          <span className="soft">{`takes ${port.name} from`}</span> {thread ? link(thread.from) : <span className="soft">nothing yet</span>}
        </p>
      ))}
      {threads
        .filter((thread) => thread.to === id && !schema.inputs.some((port) => port.name === thread.port))
        .map((thread) => (
          <p key={thread.port} className="use">
            <span className="soft">{`takes ${portWords(schema, thread.port)} from`}</span> {link(thread.from)}
          </p>
        ))}
      {to.map((thread) => (
        <p key={`${thread.to}/${thread.port}`} className="use">
          <span className="soft">used by</span> {link(thread.to)} {schema.output === 'signal' && <span className="soft">{portWords(schemas.find((other) => other.name === document.nodes?.[thread.to]?.type), thread.port)}</span>}
        </p>
      ))}
      {schema.output === 'signal' && to.length > 1 && <p className="use soft">{`Shared by ${to.length}: a change of it reaches them all. A duplicate stands by itself.`}</p>}
      {schema.output && to.length === 0 && <p className="use soft">used by nothing yet</p>}
    </section>
  );
}, sameThere);

const Foot = memo(function Foot({ ids, document }: Of) {
  const live = useLive();
  const locked = ids.some((id) => document.nodes?.[id]?.locked);
  const gone = () => {
    live.edit(ids.length > 1 ? 'remove nodes' : `remove ${document.nodes?.[ids[0] ?? '']?.name}`, ids.map((id) => remove(['nodes', id])));
    selectAll([]);
  };
  return (
    <section className="card-foot">
      <Button variant="outlined" disabled={locked} onClick={gone}>
        {ids.length > 1 ? 'Remove nodes' : 'Remove node'}
      </Button>
    </section>
  );
}, sameThere);

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
