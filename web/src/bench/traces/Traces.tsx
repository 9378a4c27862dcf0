import { useEffect, useLayoutEffect, useMemo, useRef, useState, type ClipboardEvent, type KeyboardEvent, type MouseEvent, type PointerEvent } from 'react';
import { api, Refused } from '../../api/client';
import { clock } from '../../scene/clock';
import { freshId } from '../../scene/edits';
import { copiedKeys, insertedAt, isKeyed, keyOps, moved, valueAtFrame, pastedKeys, type CopiedKeys, type Key } from '../../scene/keyed';
import { keyAt } from '../../scene/giving';
import { rateOf } from '../../scene/rate';
import { cutsOf, say, selectKeys, useScene } from '../../scene/store';
import { useMode } from '../../theme/mode';
import { tokens } from '../../theme/tokens';
import { partOf } from '../card/bake';
import { pressed } from '../keyboard/table';
import { useLive } from '../live';
import { AS_IT_WAS, type Command } from './commands';
import { draggedTo, frameOf, grasp, hitAt, within, type Grasp, type Ground } from './editing';
import { tracesKeys, type OnTraces } from './keys';
import { Channels, Labels, LINES } from './Labels';
import { insideOf, paint, scaleOf, spanOfKeys, valueAtHeight } from './paint';
import { laidRows, reach, rowsOf, type Row } from './rows';
import { shifted, useTraceSettings, zoomed, type Window } from './settings';
import './traces.css';

const LABELS = 132;
/** Where words have room for one line only they need more room beside, px. */
const TIGHT = 168;
/** How much a step of the wheel and of a key zooms. */
const WHEEL = 1.0015;
const KEY = 1.5;
/** Part of a channel's span that an arrow key moves keys up or down. */
const NUDGE = 0.01;

/** Channels over time, a little beyond the seam on both sides: the selected node's numbers, and those of the thing. */
export function Traces() {
  const live = useLive();
  const traces = useScene((state) => state.traces);
  const signals = useScene((state) => (state.signals && state.signals.header.node === state.selected && state.signals.header.channels.length > 0 ? state.signals : null));
  const beneath = useScene((state) => state.compared?.traces ?? null);
  const document = useScene((state) => state.document);
  const thing = useScene((state) => state.thing);
  const selected = useScene((state) => state.keys);
  const name = useScene((state) => (thing ? (state.document?.nodes?.[thing.node]?.name ?? '') : ''));
  const chosen = useTraceSettings((state) => (thing ? state.chosen[thing.node] : undefined));
  const cuts = useScene((state) => cutsOf(state.nodes).join());
  const mode = useMode((state) => state.mode);
  const canvas = useRef<HTMLCanvasElement>(null);
  const held = useRef<'scrub' | Grasp | { box: [number, number, number, number]; row: Row; also: boolean } | null>(null);
  const hover = useRef<number | null>(null);
  const draw = useRef<() => void>(() => undefined);
  const [near, setNear] = useState<Window | null>(null);
  const [height, setHeight] = useState(0);
  const own = traces && thing && traces.header.node === thing.node ? traces : null;
  const block = own ?? signals;
  const [frames, first, fps] = [document?.frames ?? 1, document?.first_frame ?? 0, rateOf(document?.fps ?? '24')];
  const rows = useMemo(() => (document && block ? laidRows(rowsOf(document, signals, own, chosen), height || 1) : []), [document, block, signals, own, chosen, height]);
  const whole = useMemo((): Window => {
    const [from, to] = block ? reach(block, rows) : [0, 1];
    return { from, to };
  }, [block, rows]);
  const seen = useMemo(() => (near ? shifted(zoomed(near, whole, near.from, 1), whole, 0) : whole), [near, whole]);
  const ground = (): Ground => ({ width: canvas.current?.clientWidth ?? 1, window: seen, frames, fps });

  // Before anything is seen: rows laid for another height would be drawn for a moment.
  useLayoutEffect(() => {
    const here = canvas.current?.clientHeight ?? 0;
    if (here > 0 && here !== height) setHeight(here);
  }, [block, document, height]);
  useEffect(() => {
    const element = canvas.current;
    if (!element || !block) return undefined;
    const same = beneath && own && beneath.header.node === own.header.node && beneath.header.object === own.header.object ? beneath : null;
    draw.current = () => {
      const grip = held.current;
      const dragged = typeof grip === 'object' && grip && 'span' in grip ? grip : null;
      const box = typeof grip === 'object' && grip && 'box' in grip ? grip.box : null;
      paint(element, { rows, beneath: same, window: seen, frames, fps, first, hover: hover.current, selected, held: dragged?.row.number ? { number: dragged.row.number, span: dragged.span } : null, box, cuts: cuts === '' ? [] : cuts.split(',').map(Number) }, tokens[mode]);
    };
    draw.current();
    const stop = clock.subscribe(draw.current);
    const observer = new ResizeObserver(() => {
      setHeight(element.clientHeight);
      draw.current();
    });
    observer.observe(element);
    return () => {
      stop();
      observer.disconnect();
    };
  }, [block, beneath, own, rows, seen, frames, fps, first, selected, cuts, mode]);
  const frameAt = (event: { clientX: number }): number => {
    const box = canvas.current?.getBoundingClientRect();
    return box ? seen.from + ((event.clientX - box.left) / box.width) * (seen.to - seen.from) : 0;
  };
  const zoom = (about: number, factor: number) => {
    const next = zoomed(seen, whole, about, factor);
    setNear(next.to - next.from >= whole.to - whole.from - 1e-9 ? null : next);
  };
  // React listens to wheels passively; here the page must not scroll.
  const wheel = useRef<(event: WheelEvent) => void>(() => undefined);
  wheel.current = (event) => {
    event.preventDefault();
    const across = event.shiftKey ? event.deltaY : event.deltaX;
    if (Math.abs(across) > Math.abs(event.shiftKey ? 0 : event.deltaY)) setNear(shifted(seen, whole, (across / 800) * (seen.to - seen.from)));
    else zoom(frameAt(event), WHEEL ** event.deltaY);
  };
  const drawn = block !== null;
  useEffect(() => {
    const element = canvas.current;
    const turn = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener('wheel', turn, { passive: false });
    return () => element?.removeEventListener('wheel', turn);
  }, [drawn]);

  if (!block || !document || rows.length === 0) {
    return (
      <div className="traces">
        <h2 className="panel-name">Traces</h2>
        <p className="soft empty">As soon as something moves, its position, speed and heading run here over the loop.</p>
      </div>
    );
  }

  const idsOf = (row: Row | undefined): string[] => (row?.number && selected?.node === row.number.node && selected.port === row.number.port ? selected.ids.filter((id) => row.keyed?.keys.some((key) => key.id === id)) : []);
  /** The row whose keys commands and arrows work on. */
  const active = rows.find((row) => idsOf(row).length > 0) ?? rows.find((row) => row.keyed);
  const placeOf = (event: { clientX: number; clientY: number }): [number, number] => {
    const box = canvas.current?.getBoundingClientRect();
    return [event.clientX - (box?.left ?? 0), event.clientY - (box?.top ?? 0)];
  };
  const rowAt = (y: number): Row | undefined => rows.find((row) => row.keyed && y >= row.top && y < row.top + row.height);
  const keep = (row: Row, label: string, keys: readonly Key[]) => {
    if (row.number && row.keyed) live.edit(label, keyOps(row.number, row.keyed.keys, keys));
  };

  const down = (event: PointerEvent<HTMLCanvasElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const [x, y] = placeOf(event);
    const row = rowAt(y);
    const ids = idsOf(row);
    const hit = row ? hitAt(row, ids, ground(), x, y) : null;
    if (row?.number && hit) {
      let now = ids;
      if (hit.kind === 'key' && (event.shiftKey || !ids.includes(hit.id))) {
        selectKeys(row.number.node, row.number.port, [hit.id], event.shiftKey);
        now = event.shiftKey ? [...ids.filter((id) => id !== hit.id), ...(ids.includes(hit.id) ? [] : [hit.id])] : [hit.id];
      }
      held.current = grasp(row, hit, now, ground(), x, y);
      return;
    }
    if (row && (event.ctrlKey || event.metaKey)) {
      held.current = { box: [x, y, x, y], row, also: event.shiftKey };
      return;
    }
    held.current = 'scrub';
    scrub(event);
  };
  const scrub = (event: { clientX: number }) => {
    clock.stop();
    clock.seek(Math.round(frameAt(event)));
  };
  const move = (event: PointerEvent<HTMLCanvasElement>) => {
    hover.current = frameAt(event);
    const grip = held.current;
    const [x, y] = placeOf(event);
    if (grip === 'scrub') scrub(event);
    else if (grip && 'box' in grip) grip.box = [grip.box[0], grip.box[1], x, y];
    else if (grip && Math.hypot(x - grip.x, y - grip.y) > 2 && grip.row.number) {
      hover.current = null;
      live.preview(keyOps(grip.row.number, grip.keys, draggedTo(grip, ground(), x, y, { free: event.altKey, straight: event.shiftKey })));
    } else {
      const row = rowAt(y);
      const hit = row ? hitAt(row, idsOf(row), ground(), x, y) : null;
      event.currentTarget.style.cursor = !hit ? '' : hit.kind === 'grip' ? 'ew-resize' : hit.kind === 'pace' ? 'ns-resize' : 'grab';
    }
    draw.current();
  };
  const up = (event: PointerEvent<HTMLCanvasElement>) => {
    const grip = held.current;
    held.current = null;
    if (!grip || grip === 'scrub') return;
    const [x, y] = placeOf(event);
    if ('box' in grip) {
      if (grip.row.number) selectKeys(grip.row.number.node, grip.row.number.port, within(grip.row, ground(), grip.box), grip.also);
      return;
    }
    if (!grip.row.number || Math.hypot(x - grip.x, y - grip.y) <= 2) return;
    const ops = keyOps(grip.row.number, grip.keys, draggedTo(grip, ground(), x, y, { free: event.altKey, straight: event.shiftKey }));
    if (ops.length > 0) live.edit({ key: 'move keys', handle: 'turn a handle', grip: 'stretch keys', pace: 'set the pace' }[grip.hit.kind], ops);
    else live.endPreview();
  };
  const twice = (event: MouseEvent<HTMLCanvasElement>) => {
    const [x, y] = placeOf(event);
    const row = rowAt(y);
    if (!row?.number) {
      setNear(null);
      return;
    }
    if (hitAt(row, idsOf(row), ground(), x, y)) return;
    const value = row.keyed?.keys.length === 0 ? valueAtHeight(spanOfKeys(row, ground()), insideOf(row), y) : undefined;
    const { ops, id } = keyAt(document, row.number, Math.round(frameOf(ground(), x)), value);
    live.edit(`key ${row.name}`, ops);
    selectKeys(row.number.node, row.number.port, [id]);
  };

  /** A key at the playhead on the motion that the keys were baked from. */
  const asItWas = async ({ number, keyed, name: label }: Row) => {
    const node = document.nodes?.[number?.node ?? ''];
    const from = node?.baked?.from;
    if (!number || !keyed || !from || !document.nodes?.[from]) {
      say('Only what was baked, and whose source is still there, has been otherwise: keep the source when you bake.');
      return;
    }
    const frame = clock.here;
    const [x, y, z] = (['orientation.x', 'orientation.y', 'orientation.z'] as const).map((port) => {
      const part = partOf(node.params, port);
      return isKeyed(part) ? valueAtFrame({ ...part, keys: [...part.keys].sort((a, b) => a.frame - b.frame) }, frames, frame) : Number(part);
    }) as [number, number, number];
    try {
      const { numbers } = await api.pose(live.scene, { node: from, thing: node.baked?.thing ?? 0, frame, x, y, z });
      const found = numbers[number.port];
      if (!found) return;
      const id = freshId('key');
      const keys = insertedAt(keyed.keys, frame, found.value, found.slope, id);
      live.edit(`key ${label} as it was`, keyOps(number, keyed.keys, keys));
      selectKeys(number.node, number.port, [keys.find((key) => Math.abs(key.frame - frame) < 1e-6)?.id ?? id]);
    } catch (error) {
      say(error instanceof Refused ? error.message : 'The server did not answer: try again.');
    }
  };

  const command = ({ title, act, all }: Command) => {
    if (!active?.keyed) return;
    if (title === AS_IT_WAS) {
      void asItWas(active);
      return;
    }
    const ids = idsOf(active);
    if (ids.length === 0 && !all) {
      say('Select keys in the Traces first: click one, or drag a box with Ctrl.');
      return;
    }
    const next = act(active.keyed.keys, ids);
    if (typeof next === 'string') say(next);
    else keep(active, title.toLowerCase(), next);
  };
  const beside = (step: 1 | -1) => {
    if (!active?.number) return;
    const keys = active.keyed?.keys ?? [];
    const next = step > 0 ? keys.find((key) => key.frame > clock.frame + 1e-6) : keys.findLast((key) => key.frame < clock.frame - 1e-6);
    if (!next) return;
    clock.stop();
    clock.seek(next.frame);
    selectKeys(active.number.node, active.number.port, [next.id]);
  };
  /** Does something with the keys of a number that are selected, if any are. */
  const withSelected = (act: (row: Row, keys: readonly Key[], ids: readonly string[]) => void): boolean => {
    const ids = idsOf(active);
    if (!active || ids.length === 0) return false;
    act(active, active.keyed?.keys ?? [], ids);
    return true;
  };
  const onTraces: OnTraces = {
    nearer: () => zoom(clock.frame, 1 / KEY),
    farther: () => zoom(clock.frame, KEY),
    fit: () => setNear(null),
    beside,
    selectAll: () => {
      if (!active?.number) return false;
      selectKeys(active.number.node, active.number.port, (active.keyed?.keys ?? []).map((key) => key.id));
      return true;
    },
    remove: () =>
      withSelected((row, keys, ids) => {
        // The last key of a number stays: it is what the number is.
        const left = keys.filter((key) => !ids.includes(key.id));
        if (left.length === 0 && row.number?.port !== '') say('The last key stays: give the number otherwise in the Card.');
        else keep(row, 'remove keys', left);
      }),
    move: (event) =>
      withSelected((row, keys, ids) => {
        const many = event.shiftKey ? 10 : 1;
        const span = spanOfKeys(row, ground());
        const across = event.key === 'ArrowLeft' ? -many : event.key === 'ArrowRight' ? many : 0;
        const upward = event.key === 'ArrowUp' ? many : event.key === 'ArrowDown' ? -many : 0;
        keep(row, 'move keys', moved(keys, ids, across, upward * NUDGE * (span.high - span.low), true));
      }),
    command: (wanted) => active !== undefined && (command(wanted), true),
  };
  const press = (event: KeyboardEvent) => {
    if (!pressed(tracesKeys.strokes, event, onTraces)) return;
    event.preventDefault();
    event.stopPropagation();
  };
  const copy = (event: ClipboardEvent) => {
    const clip = active?.keyed ? copiedKeys(active.keyed.keys, idsOf(active)) : null;
    if (!clip) return;
    event.clipboardData.setData('text/plain', JSON.stringify(clip));
    event.preventDefault();
    say(clip.keys.length > 1 ? `${clip.keys.length} keys are copied.` : 'One key is copied.', 'told');
  };
  const paste = (event: ClipboardEvent) => {
    if (!active?.keyed || !active.number) return;
    event.preventDefault();
    const clip = clipOf(event.clipboardData.getData('text/plain'));
    if (!clip) {
      say('What was copied are no keys: copy some in the Traces first.');
      return;
    }
    const { keys, ids } = pastedKeys(active.keyed.keys, clip, clock.here);
    keep(active, 'paste keys', keys);
    selectKeys(active.number.node, active.number.port, ids);
  };

  return (
    <div className="traces traces-body" tabIndex={0} onKeyDown={press} onCopy={copy} onPaste={paste} aria-label="Traces: plus and minus go nearer and farther, F shows everything; a click selects a key, a double click sets one">
      <div className="trace-labels" style={{ width: rows.some((row) => row.height < LINES || row.keyed) ? TIGHT : LABELS }}>
        {own && thing ? <Channels block={own} node={thing.node} shown={rows.filter((row) => row.number === null).map((row) => row.name)} title={`${name} ${thing.object + 1}`} /> : null}
        <Labels rows={rows} frames={frames} fps={fps} onCommand={(row, each) => (row === active ? command(each) : undefined)} active={active} />
      </div>
      <canvas
        ref={canvas}
        className="trace-canvas"
        role="img"
        aria-label={`Channels of ${name} over the loop`}
        data-from={seen.from.toFixed(3)}
        data-to={seen.to.toFixed(3)}
        data-keys={JSON.stringify(rows.flatMap((row) => marksOf(row, seen, ground())))}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => {
          if (held.current && held.current !== 'scrub') live.endPreview();
          held.current = null;
        }}
        onPointerLeave={() => {
          hover.current = null;
          draw.current();
        }}
        onDoubleClick={twice}
      />
    </div>
  );
}

/** Keys that a text holds, if it holds any. */
function clipOf(text: string): CopiedKeys | null {
  try {
    const value = JSON.parse(text) as CopiedKeys;
    const whole = (key: Key) => typeof key.frame === 'number' && typeof key.value === 'number';
    return value.zickzack === 'keys' && value.keys.every(whole) ? value : null;
  } catch {
    return null;
  }
}

/** Where keys and ribbons are, for those who cannot see a canvas. */
function marksOf(row: Row, seen: Window, ground: Ground): { name: string; frame: number; value: number; x: number; y: number; bottom: number }[] {
  if (!row.keyed) return [];
  const heightOf = scaleOf(spanOfKeys(row, ground), insideOf(row));
  return row.keyed.keys.map((key) => ({ name: row.name, frame: key.frame, value: key.value, x: (key.frame - seen.from) / (seen.to - seen.from), y: Math.round(heightOf(key.value)), bottom: Math.round(row.top + row.height) }));
}
