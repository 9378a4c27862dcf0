import { Button } from '@mui/material';
import { useCallback, useEffect, useRef, useState, type KeyboardEvent, type MouseEvent, type PointerEvent as ReactPointerEvent } from 'react';
import { Vector3 } from 'three';
import { clock } from '../../scene/clock';
import { alsoSelect, say, select, selectAll, selectPoints, selectThing, useScene } from '../../scene/store';
import { pressed, withKey, type Pressed } from '../keyboard/table';
import { useLive } from '../live';
import { Backdrop } from './Backdrop';
import { Box, boxed, type Rect } from './handles/Box';
import { beginDrawing, drawPoint, endDrawing, lastDrawn, newPoint } from './draw';
import { Gizmo } from './handles/Gizmo';
import { nudge, snapped } from './handles/Grip';
import { niceStep } from './scene3d/ground';
import { Handles } from './handles/Handles';
import { Labels } from './handles/Labels';
import { ModelArrows } from './handles/ModelArrows';
import { PivotPoints } from './handles/PivotPoints';
import { inserted, isClosed, isDrawn, nearestOnPath } from './geometry/path';
import { axesOf, planeOf } from './geometry/plane';
import { plainPlane, useView } from './settings';
import { straightened } from './geometry/snap';
import type { Look } from './scene3d/eye';
import { Stage } from './scene3d/stage';
import { OnItsWay } from './OnItsWay';
import { PathStrip, PlaneStrip, usePathWork } from './handles/Strips';
import { Tools } from './Tools';
import { useFeed } from './feed';
import { looks, viewKeys, type OnView } from './keys';
import { viewer } from './viewer';
import './view.css';

/** Pixels that count as a click still. */
const SLACK = 4;
/** How near a double click must be to a path to put a point on it, px. */
const NEAR = 10;

/** A path's point that is being drawn with the pointer held. */
interface Pulling {
  at: Vector3;
  x: number;
  y: number;
  handle: Vector3 | null;
}

/** The picture in space. */
export function View() {
  const live = useLive();
  const work = usePathWork();
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [stage, setStage] = useState<Stage | null>(null);
  const [look, setLook] = useState<Look>('free');
  const [planing, setPlaning] = useState(false);
  const [box, setBox] = useState<Rect | null>(null);
  const drawing = useScene((state) => state.drawing);
  const flat = useScene((state) => state.document?.space === 'flat');
  const camera = useScene((state) => state.document?.camera ?? null);
  const withheld = useScene((state) => state.withheld);
  const empty = useScene((state) => Object.keys(state.document?.nodes ?? {}).length === 0);
  const names = useView((state) => state.names);
  const plane = useView((state) => state.plane);

  useEffect(() => {
    if (!canvas.current || !host.current) return undefined;
    const made = new Stage(canvas.current, say);
    const observer = new ResizeObserver(([entry]) => entry && made.resize(entry.contentRect.width, entry.contentRect.height));
    observer.observe(host.current);
    setStage(made);
    viewer.stage = made;
    // Before the picture turns or moves with the pointer: a box is drawn instead.
    const { current: panel } = host;
    const box = (event: PointerEvent) => event.button === 0 && (event.ctrlKey || event.metaKey) && made.eye.setTurning(false);
    panel.addEventListener('pointerdown', box, true);
    const stop = clock.subscribe(() => made.setFrame(clock.frame));
    made.setFrame(clock.frame);
    return () => {
      stop();
      panel.removeEventListener('pointerdown', box, true);
      observer.disconnect();
      made.dispose();
      viewer.stage = null;
    };
  }, []);
  useFeed(stage);
  useEffect(() => setLook(flat ? 'front' : 'free'), [flat]);
  useEffect(() => {
    stage?.setCamera(camera);
    if (!camera) setLook((known) => (known === 'camera' ? 'free' : known));
  }, [stage, camera]);
  useEffect(() => {
    stage?.setPlane(axesOf(flat ? { ...plainPlane, base: 'front' } : plane), !flat && (planing || drawing !== null));
  }, [stage, plane, planing, drawing, flat]);
  useEffect(() => {
    stage?.eye.setTurning(drawing === null);
    // Whoever draws knows where things are.
    if (drawing !== null) stage?.stay();
  }, [stage, drawing]);

  // The keyboard's pen, while a path is drawn with it.
  const pen = useRef<Vector3 | null>(null);
  useEffect(() => {
    if (drawing === null) {
      pen.current = null;
      stage?.setPen(null);
    }
  }, [stage, drawing]);

  const turnTo = useCallback(
    (next: Look) => {
      if (next === 'camera' && !useScene.getState().document?.camera) {
        say('The scene has no camera yet: place one in the Card of the scene.');
        return;
      }
      setLook(next);
      stage?.setLook(next);
    },
    [stage],
  );

  const movePen = (event: Pressed): boolean => {
    const way = stage && nudge(event);
    if (!stage || !way) return false;
    const { origin } = stage.axes;
    const last = lastDrawn();
    pen.current = (pen.current ?? (last ? new Vector3(...last.at) : origin.clone())).clone().add(way);
    stage.setPen(pen.current);
    return true;
  };

  /** What keys do that were pressed inside the View itself, or in a part of it. */
  const keys = (inside: boolean): OnView => {
    const state = useScene.getState();
    const busy = state.drawing !== null;
    return {
      look: (look) => !flat && (turnTo(look), true),
      fit: () => stage?.fit(),
      draw: busy ? endDrawing : beginDrawing,
      plane: () => !flat && (setPlaning(!planing), true),
      place: () => {
        if (!busy || !inside) return false;
        const at = pen.current ?? stage?.axes.origin.clone();
        if (at) drawPoint(live, newPoint(at, useView.getState().next, null));
        return true;
      },
      movePen: (event) => busy && inside && movePen(event),
      end: () => busy && (endDrawing(), true),
      close: () => {
        if (!state.document || !isDrawn(state.document, state.selected)) return false;
        work.close();
        endDrawing();
        return true;
      },
      kind: () => {
        if (busy) useView.setState(({ next }) => ({ next: next === 'smooth' ? 'corner' : 'smooth' }));
        else work.toggleKind();
      },
      insert: work.insert,
      divide: work.divide,
      join: work.join,
      remove: work.remove,
    };
  };
  const press = (event: KeyboardEvent) => {
    if ((event.target as HTMLElement).tagName === 'INPUT' || !pressed(viewKeys.strokes, event, keys(event.target === host.current))) return;
    event.preventDefault();
    event.stopPropagation();
  };

  const begun = useRef<{ x: number; y: number; box: boolean } | null>(null);
  const pulling = useRef<Pulling | null>(null);
  const placeAt = (event: { clientX: number; clientY: number; shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): Vector3 | null => {
    const hit = stage?.eye.onPlane(event.clientX, event.clientY, planeOf(stage.axes)) ?? null;
    if (!stage || !hit) return null;
    const last = lastDrawn();
    if (event.shiftKey && last) return straightened(new Vector3(...last.at), hit, stage.axes);
    return snapped(stage, hit, [], event.ctrlKey || event.metaKey);
  };
  const down = (event: ReactPointerEvent) => {
    host.current?.focus({ preventScroll: true });
    if (event.button !== 0 || !stage) return;
    if (useScene.getState().drawing !== null) {
      const at = placeAt(event);
      if (!at) say('The work plane is not under the pointer, or is seen from its edge: turn the View, or choose another plane.');
      pulling.current = at && { at, x: event.clientX, y: event.clientY, handle: null };
      if (at) event.currentTarget.setPointerCapture(event.pointerId);
      return;
    }
    const rubber = event.ctrlKey || event.metaKey;
    begun.current = { x: event.clientX, y: event.clientY, box: rubber };
    if (rubber) event.currentTarget.setPointerCapture(event.pointerId);
  };
  const move = (event: ReactPointerEvent) => {
    const held = pulling.current;
    if (held && stage) {
      if (Math.hypot(event.clientX - held.x, event.clientY - held.y) < SLACK) return;
      const to = stage.eye.onPlane(event.clientX, event.clientY, planeOf(stage.axes));
      held.handle = to ? to.sub(held.at) : null;
      return;
    }
    const from = begun.current;
    if (from?.box && stage && Math.hypot(event.clientX - from.x, event.clientY - from.y) > SLACK) {
      const [a, b] = [stage.eye.inPanel(from.x, from.y), stage.eye.inPanel(event.clientX, event.clientY)];
      setBox({ x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) });
    }
  };
  const up = (event: ReactPointerEvent) => {
    const from = begun.current;
    begun.current = null;
    const held = pulling.current;
    pulling.current = null;
    if (!stage) return;
    if (held) {
      drawPoint(live, newPoint(held.at, useView.getState().next, held.handle));
      pen.current = null;
      stage.setPen(null);
      return;
    }
    stage.eye.setTurning(true);
    if (box) {
      const found = boxed(stage, box);
      setBox(null);
      if (found.node) selectPoints(found.node, found.points);
      else selectAll(found.nodes);
      return;
    }
    if (!from || Math.hypot(event.clientX - from.x, event.clientY - from.y) > SLACK) return;
    const hit = stage.pick(event.clientX, event.clientY);
    const also = event.ctrlKey || event.metaKey || event.shiftKey;
    if (!hit) {
      if (!also) select(null);
    } else if (also) alsoSelect(hit.node);
    else if (hit.object === null) select(hit.node);
    else selectThing(hit.node, hit.object);
  };
  const twice = (event: MouseEvent) => {
    const { document, selected, paths } = useScene.getState();
    if (!stage || !document || !isDrawn(document, selected) || document.nodes?.[selected]?.locked) return;
    const joints = paths[selected]?.header.joints ?? [];
    const at = stage.eye.inPanel(event.clientX, event.clientY);
    const found = nearestOnPath(joints, isClosed(document, selected), (place) => stage.eye.toScreen(place)?.distanceTo(at) ?? Infinity);
    if (!found || found.off > NEAR) return;
    const { ops, id } = inserted(document, selected, joints, found.piece, found.t);
    live.edit('insert a point', ops);
    selectPoints(selected, [id]);
  };

  return (
    <div className={`view-body${drawing !== null ? ' drawing' : ''}`} ref={host} tabIndex={0} onKeyDown={press} aria-label="View: P draws a path, F shows everything">
      {stage && <Backdrop stage={stage} look={look} />}
      <canvas ref={canvas} onPointerDown={down} onPointerMove={move} onPointerUp={up} onDoubleClick={twice} onContextMenu={(event) => event.preventDefault()} />
      {stage && <Labels stage={stage} names={names} />}
      {stage && <Handles stage={stage} />}
      {stage && <Gizmo stage={stage} />}
      {stage && <ModelArrows stage={stage} />}
      {stage && <PivotPoints stage={stage} />}
      {box && <Box rect={box} />}
      <Tools planing={planing} onPlane={() => setPlaning(!planing)} />
      <div className="view-looks" role="group" aria-label="Look from">
        {flat ? (
          <span className="view-note">flat · metres</span>
        ) : (
          looks
            .filter((other) => other.look !== 'camera' || camera)
            .map((other) => (
              <button key={other.look} type="button" className="chip" aria-pressed={look === other.look} title={withKey(viewKeys, other.name)} onClick={() => turnTo(other.look)}>
                {other.name}
              </button>
            ))
        )}
      </div>
      {stage && <ScaleBar stage={stage} />}
      <div className="view-foot">
        <OnItsWay />
        {drawing !== null && <p className="view-hint">Click places a point, pulling bends it · Enter ends · C closes · S smooth or corner</p>}
        {(planing || drawing !== null) && !(flat && drawing === null) && (
          <PlaneStrip
            planing={planing}
            onDone={() => {
              setPlaning(false);
              endDrawing();
            }}
          />
        )}
        {drawing === null && <PathStrip />}
      </div>
      {withheld && (
        <div className="view-empty view-withheld" role="status">
          <p>{withheld}</p>
          <Button variant="contained" onClick={() => live.workOut()}>
            Work it out
          </Button>
        </div>
      )}
      {empty && drawing === null && (
        <div className="view-empty">
          <p>An empty scene. Begin with a path: press P or the button, click a few points, then add a Ride in the Weave.</p>
          <Button variant="contained" onClick={beginDrawing}>
            Draw a path
          </Button>
        </div>
      )}
    </div>
  );
}

function ScaleBar({ stage }: { stage: Stage }) {
  const bar = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const show = () => {
      const metres = niceStep(stage.eye.metresPerPixel() * 50);
      if (bar.current) bar.current.style.width = `${metres / stage.eye.metresPerPixel()}px`;
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
