import { Button, Tooltip } from '@mui/material';
import { Background, BackgroundVariant, ReactFlow, ReactFlowProvider, useNodesInitialized, useReactFlow, type Connection, type Edge, type EdgeChange, type IsValidConnection, type Node, type NodeChange } from '@xyflow/react';
import '@xyflow/react/dist/style.css';
import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import type { NodeSchema, Op, PortKind, Scene } from '../../api/types';
import { freshId, put, remove } from '../../scene/edits';
import { say, select, useScene } from '../../scene/store';
import { useLive } from '../live';
import { useSchemas } from '../schemas';
import { AddNode } from './AddNode';
import { Slip, type SlipNode } from './Slip';
import { Stitch } from './Stitch';

/** Shows all slips, none larger than it is. */
const ALL = { padding: 0.12, maxZoom: 1 };
const nodeTypes = { slip: Slip };
const edgeTypes = { stitch: Stitch };

/** The node graph. */
export function Weave() {
  return (
    <ReactFlowProvider>
      <Graph />
    </ReactFlowProvider>
  );
}

/** What a node gives; an Output, which gives nothing, still shows a motion. */
const kindOf = (schemas: NodeSchema[], scene: Scene, id: string): PortKind | null => schemas.find((schema) => schema.name === scene.nodes?.[id]?.type)?.output ?? null;

function Graph() {
  const live = useLive();
  const flow = useReactFlow();
  const schemas = useSchemas();
  const document = useScene((state) => state.document);
  const selected = useScene((state) => state.selected);
  const [dragged, setDragged] = useState<Record<string, { x: number; y: number }>>({});
  const [sizes, setSizes] = useState<Record<string, { width: number; height: number }>>({});
  const [thread, setThread] = useState<string | null>(null);
  const [adding, setAdding] = useState(false);
  const panel = useRef<HTMLDivElement>(null);
  const measured = useNodesInitialized();
  useEffect(() => {
    if (!measured) return undefined;
    // Whenever all slips are known: at first, and again with each new one.
    const request = requestAnimationFrame(() => void flow.fitView(ALL));
    return () => cancelAnimationFrame(request);
  }, [measured, flow]);

  const nodes = useMemo<SlipNode[]>(() => {
    return Object.entries(document?.nodes ?? {}).map(([id, node]) => {
      const schema = schemas.find((schema) => schema.name === node.type);
      return {
        id,
        type: 'slip',
        position: dragged[id] ?? { x: node.at?.[0] ?? 0, y: node.at?.[1] ?? 0 },
        selected: id === selected,
        // Without what was measured, a slip would be hidden and its threads cut until it is measured anew.
        measured: sizes[id],
        data: { name: node.name, schema: schema ?? null, flat: document?.space === 'flat' },
        ariaLabel: `${schema?.title ?? node.type} ${node.name}`,
      };
    });
  }, [document, schemas, selected, dragged, sizes]);

  const edges = useMemo<Edge[]>(() => {
    return Object.entries(document?.threads ?? {}).map(([id, thread_]) => ({
      id,
      type: 'stitch',
      source: thread_.from,
      target: thread_.to,
      targetHandle: thread_.port,
      selected: id === thread,
      data: { kind: document ? kindOf(schemas, document, thread_.from) : null },
    }));
  }, [document, schemas, thread]);

  const onNodesChange = useCallback(
    (changes: NodeChange<Node>[]) => {
      for (const change of changes) {
        if (change.type === 'position' && change.position) {
          const { x, y } = change.position;
          setDragged((known) => ({ ...known, [change.id]: { x, y } }));
        }
        if (change.type === 'dimensions' && change.dimensions) {
          const { dimensions } = change;
          setSizes((known) => ({ ...known, [change.id]: dimensions }));
        }
        if (change.type === 'select' && change.selected) {
          setThread(null);
          select(change.id);
        }
      }
    },
    [],
  );
  const onEdgesChange = useCallback((changes: EdgeChange<Edge>[]) => {
    for (const change of changes) if (change.type === 'select') setThread((known) => (change.selected ? change.id : known === change.id ? null : known));
  }, []);

  const keepPlaces = (_: unknown, __: Node, moved: Node[]) => {
    const ops = moved.map((node) => put(['nodes', node.id, 'at'], [Math.round(node.position.x), Math.round(node.position.y)]));
    if (ops.length > 0) live.edit('move slips', ops);
    setDragged({});
  };

  const fits: IsValidConnection = (wish) => {
    if (!document || wish.source === wish.target) return false;
    const port = schemas.find((schema) => schema.name === document.nodes?.[wish.target]?.type)?.inputs.find((input) => input.name === wish.targetHandle);
    return port !== undefined && kindOf(schemas, document, wish.source) === port.kind && !feeds(document, wish.target, wish.source);
  };

  const join = (wish: Connection) => {
    if (!document || !wish.targetHandle) return;
    const known = Object.entries(document.threads ?? {}).find(([, t]) => t.to === wish.target && t.port === wish.targetHandle);
    const ops: Op[] = known ? [remove(['threads', known[0]])] : [];
    live.edit('thread', [...ops, put(['threads', freshId('thread')], { from: wish.source, to: wish.target, port: wish.targetHandle })]);
  };

  const add = (schema: NodeSchema) => {
    setAdding(false);
    if (!document) return;
    const id = freshId(schema.name);
    const ops = addition(document, schemas, schema, id, selected);
    live.edit(`add ${schema.title}`, ops);
    select(id);
    panel.current?.focus();
    window.setTimeout(() => void flow.fitView(ALL), 60);
  };

  const press = (event: KeyboardEvent) => {
    if ((event.target as HTMLElement).tagName === 'INPUT' || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'n' || event.key === 'N') setAdding(true);
    else if (event.key === 'y' || event.key === 'Y') tidy();
    else if (event.key === 'Delete' || event.key === 'Backspace') {
      if (thread) live.edit('cut a thread', [remove(['threads', thread])]);
      else if (selected) live.edit('remove a node', [remove(['nodes', selected])]);
      setThread(null);
    } else return;
    event.preventDefault();
  };

  const tidy = () => {
    if (!document) return;
    const places = tidied(document);
    live.edit(
      'tidy the Weave',
      Object.entries(places).map(([id, at]) => put(['nodes', id, 'at'], at)),
    );
    window.setTimeout(() => void flow.fitView(ALL), 60);
  };

  const empty = nodes.length === 0;
  return (
    <div className="weave-body" ref={panel} tabIndex={-1} onKeyDown={press}>
      <div className="weave-head">
        <h2 className="panel-name">Weave</h2>
        <span className="gap" />
        <Tooltip title="Tidy · Y">
          <span>
            <Button variant="outlined" disabled={empty} onClick={tidy}>
              Tidy
            </Button>
          </span>
        </Tooltip>
        <Tooltip title="Add a node · N">
          <Button variant="outlined" onClick={() => setAdding(true)}>
            Add node
          </Button>
        </Tooltip>
      </div>
      <ReactFlow
        nodes={nodes}
        edges={edges}
        nodeTypes={nodeTypes}
        edgeTypes={edgeTypes}
        onNodesChange={onNodesChange}
        onEdgesChange={onEdgesChange}
        onNodeDragStop={keepPlaces}
        onConnect={join}
        isValidConnection={fits}
        onConnectEnd={(_, state) => {
          if (state.toHandle && state.isValid === false) say('That thread does not fit there: the port takes another kind of data, or the threads would close a circle.');
        }}
        onPaneClick={() => {
          setThread(null);
          select(null);
        }}
        deleteKeyCode={null}
        minZoom={0.25}
        maxZoom={1.6}
        proOptions={{ hideAttribution: true }}
      >
        <Background variant={BackgroundVariant.Dots} gap={16} size={1} />
      </ReactFlow>
      {!empty && <Foot />}
      {empty && !adding && (
        <div className="weave-empty">
          <p>Nothing here yet.</p>
          <p className="soft">Draw a path in the View with P, or add a node with N: a path, a Ride on it, and an Output make a first loop.</p>
        </div>
      )}
      {adding && <AddNode schemas={schemas} onAdd={add} onClose={() => setAdding(false)} />}
    </div>
  );
}

/** How all of it went, and how long what was computed anew took. */
function Foot() {
  const nodes = useScene((state) => state.nodes);
  const all = Object.values(nodes);
  const count = (state: string) => all.filter((node) => node.state === state).length;
  const [wrong, warned] = [count('error'), count('warning')];
  const millis = all.reduce((sum, node) => sum + node.millis, 0);
  const went = wrong > 0 ? `${wrong} cannot work yet` : warned > 0 ? `${warned} with a warning` : 'all worked';
  return <p className="weave-foot">{all.length > 0 ? `${went}${millis > 0 ? ` · ${millis.toFixed(1)} ms` : ''}` : ''}</p>;
}

/** True when `from` feeds `to`, however far down. */
function feeds(document: Scene, from: string, to: string): boolean {
  return from === to || Object.values(document.threads ?? {}).some((thread) => thread.from === from && feeds(document, thread.to, to));
}

/** A new node under the selected one, threaded to it where that fits. */
export function addition(document: Scene, schemas: NodeSchema[], schema: NodeSchema, id: string, selected: string | null): Op[] {
  const above = selected ? document.nodes?.[selected] : undefined;
  const lowest = Math.max(-100, ...Object.values(document.nodes ?? {}).map((node) => node.at?.[1] ?? 0));
  const at = above ? [above.at?.[0] ?? 24, (above.at?.[1] ?? 0) + 130] : [24, lowest + 130];
  const names = new Set(Object.values(document.nodes ?? {}).map((node) => node.name));
  let name = schema.title;
  for (let number = 2; names.has(name); number += 1) name = `${schema.title} ${number}`;
  const ops: Op[] = [put(['nodes', id], { type: schema.name, name, at })];
  const port = selected ? schema.inputs.find((input) => input.kind === kindOf(schemas, document, selected)) : undefined;
  if (selected && port) ops.push(put(['threads', freshId('thread')], { from: selected, to: id, port: port.name }));
  return ops;
}

/** Rows by depth, in columns by what they hang from. */
export function tidied(document: Scene): Record<string, [number, number]> {
  const threads = Object.values(document.threads ?? {});
  const depths: Record<string, number> = {};
  const depth = (id: string): number => (depths[id] ??= Math.max(0, ...threads.filter((thread) => thread.to === id).map((thread) => depth(thread.from) + 1)));
  const columns: Record<string, number> = {};
  const taken = new Set<string>();
  const ids = Object.keys(document.nodes ?? {}).sort((a, b) => depth(a) - depth(b) || a.localeCompare(b));
  for (const id of ids) {
    const parents = threads.filter((thread) => thread.to === id).map((thread) => columns[thread.from] ?? 0);
    let column = parents.length > 0 ? Math.min(...parents) : 0;
    while (taken.has(`${column}/${depth(id)}`)) column += 1;
    taken.add(`${column}/${depth(id)}`);
    columns[id] = column;
  }
  return Object.fromEntries(ids.map((id) => [id, [16 + 168 * (columns[id] ?? 0), 40 + 130 * depth(id)]]));
}
