import { Button } from '@mui/material';
import { useCallback, useEffect, useRef, useState, type KeyboardEvent, type PointerEvent as ReactPointerEvent } from 'react';
import { Vector3 } from 'three';
import type { Op, Scene } from '../../api/types';
import { clock } from '../../scene/clock';
import { freshId, put, remove } from '../../scene/edits';
import { select, selectThing, useScene } from '../../scene/store';
import { useLive } from '../live';
import { Handles } from './Handles';
import { Labels } from './Labels';
import { niceStep, Stage, type Look, type Shown } from './stage';

const looks: { look: Look; name: string; key: string }[] = [
  { look: 'top', name: 'Top', key: '1' },
  { look: 'front', name: 'Front', key: '2' },
  { look: 'side', name: 'Side', key: '3' },
  { look: 'free', name: 'Free', key: '4' },
];

/** The picture in space. */
export function View() {
  const live = useLive();
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [stage, setStage] = useState<Stage | null>(null);
  const [toggles, setToggles] = useState({ ghosts: true, axes: true, names: true });
  const [look, setLook] = useState<Look>('free');
  const drawing = useScene((state) => state.drawing);
  const flat = useScene((state) => state.document?.space === 'flat');
  const empty = useScene((state) => Object.keys(state.document?.nodes ?? {}).length === 0);

  useEffect(() => {
    if (!canvas.current || !host.current) return undefined;
    const made = new Stage(canvas.current);
    const observer = new ResizeObserver(([entry]) => entry && made.resize(entry.contentRect.width, entry.contentRect.height));
    observer.observe(host.current);
    setStage(made);
    const stop = clock.subscribe(() => made.setFrame(clock.frame));
    made.setFrame(clock.frame);
    return () => {
      stop();
      observer.disconnect();
      made.dispose();
    };
  }, []);
  useFeed(stage);
  useEffect(() => {
    if (!stage) return;
    Object.assign(stage, { ghosts: toggles.ghosts, axes: toggles.axes });
    stage.invalidate();
  }, [stage, toggles]);
  useEffect(() => setLook(flat ? 'front' : 'free'), [flat]);

  const turnTo = useCallback(
    (next: Look) => {
      setLook(next);
      stage?.setLook(next);
    },
    [stage],
  );
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const chosen = flat ? undefined : looks.find((other) => other.key === event.key);
    const { drawing: busy, selected, document, point } = useScene.getState();
    if (chosen) turnTo(chosen.look);
    else if (event.key === 'f' || event.key === 'F') stage?.fit();
    else if (event.key === 'p' || event.key === 'P') useScene.setState({ drawing: !busy });
    else if (busy && event.key === 'Enter') useScene.setState({ drawing: false });
    else if ((event.key === 'c' || event.key === 'C') && selected && document?.nodes?.[selected]?.type === 'drawn-path') {
      const closed = document.nodes[selected].params?.['closed'] === true;
      live.edit(closed ? 'open the path' : 'close the path', [put(['nodes', selected, 'params', 'closed'], !closed)]);
      useScene.setState({ drawing: false });
    } else if ((event.key === 'Delete' || event.key === 'Backspace') && selected && point && document?.nodes?.[selected]?.type === 'drawn-path') {
      live.edit('remove a point', [remove(['nodes', selected, 'params', 'points', point])]);
      useScene.setState({ point: null });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };

  const begun = useRef<{ x: number; y: number } | null>(null);
  const down = (event: ReactPointerEvent) => {
    begun.current = event.button === 0 ? { x: event.clientX, y: event.clientY } : null;
    host.current?.focus({ preventScroll: true });
  };
  const up = (event: ReactPointerEvent) => {
    const from = begun.current;
    begun.current = null;
    if (!stage || !from || Math.hypot(event.clientX - from.x, event.clientY - from.y) > 4) return;
    if (useScene.getState().drawing) {
      const at = stage.onPlane(event.clientX, event.clientY, stage.drawPlane());
      const { document, selected } = useScene.getState();
      if (at && document) drawPoint(live.edit.bind(live), document, selected, at);
      return;
    }
    const hit = stage.pick(event.clientX, event.clientY);
    if (!hit) select(null);
    else if (hit.object === null) select(hit.node);
    else selectThing(hit.node, hit.object);
  };

  const toggle = (name: keyof typeof toggles, title: string) => (
    <button type="button" className="chip" aria-pressed={toggles[name]} onClick={() => setToggles((known) => ({ ...known, [name]: !known[name] }))}>
      {title}
    </button>
  );
  return (
    <div className={`view-body${drawing ? ' drawing' : ''}`} ref={host} tabIndex={0} onKeyDown={press} aria-label="View: P draws a path, F shows everything">
      <canvas ref={canvas} onPointerDown={down} onPointerUp={up} onContextMenu={(event) => event.preventDefault()} />
      {stage && <Labels stage={stage} names={toggles.names} />}
      {stage && <Handles stage={stage} />}
      <div className="view-tools">
        {toggle('ghosts', 'Ghosts')}
        {toggle('axes', 'Axes')}
        {toggle('names', 'Names')}
        <button type="button" className="chip" aria-pressed={drawing} onClick={() => useScene.setState({ drawing: !drawing })}>
          {drawing ? 'End path' : 'Draw path'}
        </button>
      </div>
      <div className="view-looks" role="group" aria-label="Look from">
        {flat ? (
          <span className="view-note">flat · metres</span>
        ) : (
          looks.map((other) => (
            <button key={other.look} type="button" className="chip" aria-pressed={look === other.look} title={`${other.name} · ${other.key}`} onClick={() => turnTo(other.look)}>
              {other.name}
            </button>
          ))
        )}
      </div>
      {stage && <ScaleBar stage={stage} />}
      {drawing && <p className="view-hint">Click places a point · Enter ends · C closes</p>}
      {empty && !drawing && (
        <div className="view-empty">
          <p>An empty scene. Begin with a path: press P or the button, click a few points, then add a Ride in the Weave.</p>
          <Button variant="contained" onClick={() => useScene.setState({ drawing: true })}>
            Draw a path
          </Button>
        </div>
      )}
    </div>
  );
}

/** Puts a point at the end of the path being drawn, and makes the path with its first point. */
export function drawPoint(edit: (label: string, ops: Op[]) => void, document: Scene, selected: string | null, at: Vector3): void {
  const point = { id: freshId('point'), at: [at.x, at.y, at.z].map((x) => Number(x.toFixed(4))) };
  if (selected && document.nodes?.[selected]?.type === 'drawn-path') {
    edit('draw a point', [put(['nodes', selected, 'params', 'points', point.id], point)]);
    return;
  }
  const id = freshId('drawn-path');
  const names = new Set(Object.values(document.nodes ?? {}).map((node) => node.name));
  let name = 'Path';
  for (let number = 2; names.has(name); number += 1) name = `Path ${number}`;
  const lowest = Math.max(-90, ...Object.values(document.nodes ?? {}).map((node) => node.at?.[1] ?? 0));
  edit('begin a path', [put(['nodes', id], { type: 'drawn-path', name, at: [24, lowest + 130], params: { points: [point] } })]);
  select(id);
}

/** Hands what the store holds to the stage. */
function useFeed(stage: Stage | null): void {
  const document = useScene((state) => state.document);
  const paths = useScene((state) => state.paths);
  const poses = useScene((state) => state.poses);
  const version = useScene((state) => state.posesVersion);
  const ends = useScene((state) => state.ends);
  const selected = useScene((state) => state.selected);
  const space = document?.space;
  const width = document?.picture?.width ?? 16;
  const height = document?.picture?.height ?? 9;
  useEffect(() => {
    if (space) stage?.setScene(space === 'flat', { width, height });
  }, [stage, space, width, height]);
  useEffect(() => stage?.setPaths(paths, selected), [stage, paths, selected]);
  useEffect(() => {
    const shown = ends.map((end): Shown => {
      const params = document?.nodes?.[end.node]?.params ?? {};
      const size = Number(params['size'] ?? 0.5);
      return { node: end.node, kind: String(params['thing'] ?? 'arrow'), size: end.output ? size : 0.4, contacts: end.contacts, wake: !end.on_path };
    });
    stage?.setCrowds(shown, poses);
  }, [stage, ends, poses, document]);
  useEffect(() => stage?.invalidate(), [stage, version]);
}

function ScaleBar({ stage }: { stage: Stage }) {
  const bar = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const show = () => {
      const metres = niceStep(stage.metresPerPixel() * 50);
      if (bar.current) bar.current.style.width = `${metres / stage.metresPerPixel()}px`;
      if (text.current) text.current.textContent = metres >= 1000 ? `${metres / 1000} km` : metres >= 1 ? `${metres} m` : metres >= 0.01 ? `${Math.round(metres * 100)} cm` : `${Number((metres * 1000).toPrecision(2))} mm`;
    };
    show();
    return stage.onPicture(show);
  }, [stage]);
  return (
    <div className="scale-bar" aria-hidden="true">
      <div ref={bar} />
      <span ref={text} />
    </div>
  );
}
