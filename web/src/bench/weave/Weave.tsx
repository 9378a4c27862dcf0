import { Button, ListSubheader, Menu, MenuItem, Tooltip } from '@mui/material';
import { Background, BackgroundVariant, ReactFlow, ReactFlowProvider, useNodesInitialized, useReactFlow, type Connection, type Edge, type EdgeChange, type FinalConnectionState, type IsValidConnection, type Node, type NodeChange } from '@xyflow/react';
import '@xyflow/react/dist/style.css';
import { useCallback, useEffect, useMemo, useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import type { NodeSchema, Scene } from '../../api/types';
import { freshId, put, remove } from '../../scene/edits';
import { portsOf, portWords } from '../../scene/giving';
import { say, select, selectAll, useScene } from '../../scene/store';
import { useBehind } from '../behind';
import { marking } from '../card/marks';
import { pressed, withKey } from '../keyboard/table';
import { useLive } from '../live';
import { progressWords, waitedFor } from '../../scene/progress';
import { isShown, useSchemas } from '../schemas';
import { AddNode } from './AddNode';
import { weaveKeys, type OnWeave } from './keys';
import { GroupSlip } from './GroupSlip';
import { laidNodes, laidThreads } from './lay';
import { Slip } from './Slip';
import { Stitch } from './Stitch';
import { addition, ANY_NUMBER, clipOf, copied, duplicated, feeds, grouped, kindOf, membersOf, offered, pasted, portKind, putBetween, removal, takingUp, threading, type Loose } from './work';
import { tidied } from './tidy';
import { useWoven } from './woven';
import './weave.css';

/** Shows all slips, none larger than it is. */
const ALL = { padding: 0.12, maxZoom: 1 };
const nodeTypes = { slip: Slip, 'group-slip': GroupSlip };
const edgeTypes = { stitch: Stitch };

/** The node graph. */
export function Weave() {
  return (
    <ReactFlowProvider>
      <Graph />
    </ReactFlowProvider>
  );
}

/** What is being added: anything, or what takes up a thread that was pulled into the open. */
type Adding = { loose: Loose; at: [number, number] } | 'any' | null;

/** The scene as it is when something is done to it. */
const now = (): Scene | null => useScene.getState().document;

const isTyping = (target: EventTarget): boolean => target instanceof HTMLInputElement;

function Graph() {
  const live = useLive();
  const flow = useReactFlow();
  const schemas = useSchemas();
  const woven = useWoven();
  const chosen = useScene((state) => state.chosen);
  const selected = useScene((state) => state.selected);
  const [dragged, setDragged] = useState<Record<string, { x: number; y: number }>>({});
  const [sizes, setSizes] = useState<Record<string, { width: number; height: number }>>({});
  const [thread, setThread] = useState<string | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const [adding, setAdding] = useState<Adding>(null);
  const [driving, setDriving] = useState<{ from: string; to: string } | null>(null);
  const panel = useRef<HTMLDivElement>(null);
  const measured = useNodesInitialized();
  useEffect(() => {
    if (!measured) return undefined;
    // Whenever all slips are known: at first, and again with each new one.
    const request = requestAnimationFrame(() => void flow.fitView(ALL));
    return () => cancelAnimationFrame(request);
  }, [measured, flow]);

  // A group that comes, goes, opens or shuts changes how much room there is to be shown.
  const groups = useScene((state) => Object.entries(state.document?.groups ?? {}).map(([id, group]) => `${id} ${group.shut ?? false}`).join());
  useEffect(() => {
    const timer = window.setTimeout(() => void flow.fitView(ALL), 60);
    return () => window.clearTimeout(timer);
  }, [groups, flow]);

  const nodes = useMemo(() => (woven ? laidNodes(woven, schemas, chosen, { dragged, sizes }) : []), [woven, schemas, chosen, dragged, sizes]);
  const edges = useMemo(() => (woven ? laidThreads(woven, schemas, thread, over) : []), [woven, schemas, thread, over]);

  const onNodesChange = useCallback((changes: NodeChange<Node>[]) => {
    const wished = new Set(useScene.getState().chosen);
    let turned = false;
    for (const change of changes) {
      if (change.type === 'position' && change.position) {
        const { x, y } = change.position;
        setDragged((known) => ({ ...known, [change.id]: { x, y } }));
      }
      if (change.type === 'dimensions' && change.dimensions) {
        const { dimensions } = change;
        setSizes((known) => ({ ...known, [change.id]: dimensions }));
      }
      if (change.type === 'select' && wished.has(change.id) !== change.selected) {
        turned = true;
        if (change.selected) wished.add(change.id);
        else wished.delete(change.id);
      }
    }
    if (!turned) return;
    setThread(null);
    selectAll([...wished]);
  }, []);
  const onEdgesChange = useCallback((changes: EdgeChange<Edge>[]) => {
    for (const change of changes) if (change.type === 'select') setThread((known) => (change.selected ? change.id : known === change.id ? null : known));
  }, []);

  /** The thread under the pointer, when a slip that fits in between is dragged over it. */
  const threadUnder = (event: { clientX: number; clientY: number }, moved: Node[]): string | null => {
    const [only] = moved;
    const document = now();
    if (!document || !only || moved.length > 1) return null;
    const found = window.document.elementsFromPoint(event.clientX, event.clientY).map((element) => element.closest('.react-flow__edge')?.getAttribute('data-id'));
    return found.find((id) => id && putBetween(document, schemas, id, only.id)) ?? null;
  };
  const placeOf = (event: MouseEvent | TouchEvent | React.MouseEvent) => ('clientX' in event ? event : { clientX: event.touches[0]?.clientX ?? 0, clientY: event.touches[0]?.clientY ?? 0 });

  const keepPlaces = (event: MouseEvent | TouchEvent | React.MouseEvent, _: Node, moved: Node[]) => {
    const onto = threadUnder(placeOf(event), moved);
    setOver(null);
    setDragged({});
    const document = now();
    if (!document) return;
    const ops = moved.flatMap((node) => {
      const group = node.id.startsWith('group ') ? node.id.slice(6) : null;
      if (group === null) return [put(['nodes', node.id, 'at'], [Math.round(node.position.x), Math.round(node.position.y)])];
      // A group takes its slips along, as far as it went itself.
      const before = laidNodes(document, schemas, [], { dragged: {}, sizes }).find((other) => other.id === node.id)?.position ?? node.position;
      const by = [Math.round(node.position.x - before.x), Math.round(node.position.y - before.y)] as const;
      return membersOf(document, group).map((id) => put(['nodes', id, 'at'], [(document.nodes?.[id]?.at?.[0] ?? 0) + by[0], (document.nodes?.[id]?.at?.[1] ?? 0) + by[1]]));
    });
    const between = onto && moved[0] ? putBetween(document, schemas, onto, moved[0].id) : null;
    if (between) live.edit('put a node in between', [...ops, ...between]);
    else if (ops.length > 0) live.edit('move slips', ops);
  };

  const fits: IsValidConnection = (wish) => {
    const document = now();
    if (!document || wish.source === wish.target) return false;
    const schema = schemas.find((schema) => schema.name === document.nodes?.[wish.target]?.type);
    const kind = wish.targetHandle === ANY_NUMBER ? 'signal' : portKind(schema, wish.targetHandle ?? '');
    return kind !== null && kindOf(schemas, document, wish.source) === kind && !feeds(document, wish.target, wish.source);
  };
  const join = (wish: Connection) => {
    const document = now();
    if (wish.targetHandle === ANY_NUMBER) setDriving({ from: wish.source, to: wish.target });
    else if (document && wish.targetHandle) live.edit('thread', threading(document, schemas, wish.source, wish.target, wish.targetHandle));
  };
  const joinEnds = (event: MouseEvent | TouchEvent, state: FinalConnectionState) => {
    if (state.toHandle && state.isValid === false) {
      say('That thread does not fit there: the port takes another kind of data, or the threads would close a circle.');
    } else if (!state.toHandle && state.fromHandle && state.fromNode) {
      const { clientX, clientY } = placeOf(event);
      const { x, y } = flow.screenToFlowPosition({ x: clientX, y: clientY });
      const source = state.fromHandle.type === 'source';
      setAdding({ loose: { node: state.fromNode.id, port: source ? null : (state.fromHandle.id ?? null) }, at: [x - 78, source ? y : y - 66] });
    }
  };

  const add = (schema: NodeSchema) => {
    const wished = adding;
    const document = now();
    setAdding(null);
    if (!document || !wished) return;
    const id = freshId(schema.name);
    live.edit(`add ${schema.title}`, wished === 'any' ? addition(document, schemas, schema, id, selected) : takingUp(document, schemas, schema, id, wished.loose, wished.at));
    select(id);
    panel.current?.focus();
  };

  const tidy = () => {
    const document = now();
    if (!document) return;
    const places = tidied(document);
    live.edit(
      'tidy the Weave',
      Object.entries(places).map(([id, at]) => put(['nodes', id, 'at'], at)),
    );
    window.setTimeout(() => void flow.fitView(ALL), 60);
  };
  const gone = () => {
    const document = now();
    if (thread) live.edit('cut a thread', [remove(['threads', thread])]);
    else if (document && chosen.length > 0) {
      live.edit(chosen.length > 1 ? 'remove nodes' : 'remove a node', removal(document, chosen));
      selectAll([]);
    }
    setThread(null);
  };
  const put_ = (label: string, made: { ops: ReturnType<typeof removal>; ids: string[] }) => {
    live.edit(label, made.ops);
    selectAll(made.ids);
  };
  /** Does something with the selected slips, if there are any. */
  const withChosen = (act: (document: Scene) => void): boolean => {
    const document = now();
    if (!document || chosen.length === 0) return false;
    act(document);
    return true;
  };
  const keys: OnWeave = {
    add: () => setAdding('any'),
    tidy,
    mark: (mark) => withChosen((document) => live.edit(mark, marking(document, chosen, mark))),
    duplicate: () => withChosen((document) => put_('duplicate', duplicated(document, chosen))),
    group: () =>
      withChosen((document) => {
        const { label, ops } = grouped(document, chosen);
        live.edit(label, ops);
      }),
    selectAll: () => selectAll(Object.keys(now()?.nodes ?? {})),
    remove: gone,
  };
  const press = (event: KeyboardEvent) => {
    if (!isTyping(event.target) && pressed(weaveKeys.strokes, event, keys)) event.preventDefault();
  };
  const copy = (event: ClipboardEvent, cut: boolean) => {
    const document = now();
    if (isTyping(event.target) || !document || chosen.length === 0) return;
    event.clipboardData.setData('text/plain', JSON.stringify(copied(document, chosen)));
    event.preventDefault();
    if (cut) gone();
    else say(chosen.length > 1 ? `${chosen.length} slips are copied.` : 'One slip is copied.', 'told');
  };
  const paste = (event: ClipboardEvent) => {
    const document = now();
    if (isTyping(event.target) || !document) return;
    event.preventDefault();
    try {
      put_('paste', pasted(document, clipOf(event.clipboardData.getData('text/plain'))));
    } catch (error) {
      say(error instanceof Error ? error.message : String(error));
    }
  };

  const empty = Object.keys(woven?.nodes ?? {}).length === 0;
  return (
    <div className="weave-body" ref={panel} tabIndex={-1} onKeyDown={press} onCopy={(event) => copy(event, false)} onCut={(event) => copy(event, true)} onPaste={paste}>
      <div className="weave-head">
        <h2 className="panel-name">Weave</h2>
        <span className="gap" />
        <Tooltip title={withKey(weaveKeys, 'Tidy')}>
          <span>
            <Button variant="outlined" disabled={empty} onClick={tidy}>
              Tidy
            </Button>
          </span>
        </Tooltip>
        <Tooltip title={withKey(weaveKeys, 'Add a node')}>
          <Button variant="outlined" onClick={() => setAdding('any')}>
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
        onNodeClick={(event, node) => {
          // A click on what is selected already leaves its points and what stands in the Card.
          const state = useScene.getState();
          if (!event.ctrlKey && !event.metaKey && !event.shiftKey && state.document?.nodes?.[node.id]) selectAll([node.id]);
        }}
        onNodeDrag={(event, _, moved) => setOver(threadUnder(placeOf(event), moved))}
        onNodeDragStop={keepPlaces}
        onConnect={join}
        isValidConnection={fits}
        onConnectEnd={joinEnds}
        onPaneClick={() => {
          setThread(null);
          select(null);
          panel.current?.focus();
        }}
        deleteKeyCode={null}
        // The space bar plays, wherever the focus is.
        panActivationKeyCode={null}
        multiSelectionKeyCode={['Control', 'Meta']}
        minZoom={0.25}
        maxZoom={1.6}
        proOptions={{ hideAttribution: true }}
      >
        <Background variant={BackgroundVariant.Dots} gap={16} size={1} />
      </ReactFlow>
      {!empty && <Foot />}
      {empty && adding === null && (
        <div className="weave-empty">
          <p>Nothing here yet.</p>
          <p className="soft">Draw a path in the View with P, or add a node with N: a path, a Ride on it, and an Output make a first loop.</p>
        </div>
      )}
      {driving && (
        <Drive
          schemas={schemas}
          to={driving.to}
          onChoose={(port) => {
            const document = now();
            if (document) live.edit('thread', threading(document, schemas, driving.from, driving.to, port));
          }}
          onClose={() => {
            setDriving(null);
            panel.current?.focus();
          }}
        />
      )}
      {adding !== null && woven && (
        <AddNode
          schemas={adding === 'any' ? schemas : offered(woven, schemas, adding.loose)}
          onAdd={add}
          onClose={() => {
            setAdding(null);
            panel.current?.focus();
          }}
        />
      )}
    </div>
  );
}

/** Which number of a node a signal that was pulled to it drives. */
function Drive({ schemas, to, onChoose, onClose }: { schemas: readonly NodeSchema[]; to: string; onChoose: (port: string) => void; onClose: () => void }) {
  const document = useScene((state) => state.document);
  const schema = schemas.find((schema) => schema.name === document?.nodes?.[to]?.type);
  const ports = (document && schema?.params.filter((param) => isShown(document, to, schema, param)).flatMap(portsOf)) ?? [];
  const slip = window.document.querySelector(`.react-flow__node[data-id="${CSS.escape(to)}"]`);
  return (
    <Menu open anchorEl={slip} onClose={onClose} transitionDuration={0}>
      <ListSubheader>Which number?</ListSubheader>
      {ports.map((port) => (
        <MenuItem
          key={port}
          onClick={() => {
            onChoose(port);
            onClose();
          }}
        >
          {portWords(schema, port)}
        </MenuItem>
      ))}
    </Menu>
  );
}

/** How all of it went, and how long what was computed anew took. */
function Foot() {
  const nodes = useScene((state) => state.nodes);
  const all = Object.values(nodes);
  const count = (state: string) => all.filter((node) => node.state === state).length;
  const [wrong, warned, out] = [count('error'), count('warning'), count('bypassed')];
  const millis = all.reduce((sum, node) => sum + node.millis, 0);
  const waits = waitedFor(nodes);
  const behind = useBehind();
  const went = behind ? 'what waits is not worked out yet' : wrong > 0 ? `${wrong} cannot work yet` : warned > 0 ? `${warned} with a warning` : waits ? progressWords(waits) : 'all worked';
  return <p className="weave-foot">{all.length > 0 ? [went, out > 0 && `${out} bypassed`, millis > 0 && `${millis.toFixed(1)} ms`].filter(Boolean).join(' · ') : ''}</p>;
}
