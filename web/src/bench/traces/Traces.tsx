import { Checkbox, IconButton, Popover } from '@mui/material';
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { clock, useFrame } from '../../scene/clock';
import { useScene, type TraceBlock } from '../../scene/store';
import { useMode } from '../../theme/mode';
import { tokens } from '../../theme/tokens';
import { paint, RULER } from './paint';
import { ends, flips, nearest, told, valueAt } from './read';
import { choose, movedBy, shifted, shownChannels, toggled, useTraceSettings, zoomed, type Window } from './settings';

const LABELS = 132;
/** With more channels than this, each has room for one line of words only, and they need more room beside. */
const ROOMY = 5;
const TIGHT = 168;
/** How much a step of the wheel and of a key zooms. */
const WHEEL = 1.0015;
const KEY = 1.5;

/** Channels of the selected thing over time, a little beyond the seam on both sides. */
export function Traces() {
  const traces = useScene((state) => state.traces);
  const beneath = useScene((state) => state.compared?.traces ?? null);
  const frames = useScene((state) => state.document?.frames ?? 1);
  const first = useScene((state) => state.document?.first_frame ?? 0);
  const thing = useScene((state) => state.thing);
  const name = useScene((state) => (thing ? (state.document?.nodes?.[thing.node]?.name ?? '') : ''));
  const chosen = useTraceSettings((state) => (thing ? state.chosen[thing.node] : undefined));
  const mode = useMode((state) => state.mode);
  const canvas = useRef<HTMLCanvasElement>(null);
  const held = useRef(false);
  const hover = useRef<number | null>(null);
  const draw = useRef<() => void>(() => undefined);
  const [near, setNear] = useState<Window | null>(null);
  const block = traces && thing && traces.header.node === thing.node ? traces : null;
  const whole: Window = block ? { from: ends(block)[0], to: ends(block)[1] } : { from: 0, to: 1 };
  const seen = near ? shifted(zoomed(near, whole, near.from, 1), whole, 0) : whole;
  const shown = block ? shownChannels(block.header.channels.map((channel) => channel.name), chosen) : [];

  useEffect(() => {
    const element = canvas.current;
    if (!element || !block) return undefined;
    const same = beneath && beneath.header.node === block.header.node && beneath.header.object === block.header.object ? beneath : null;
    draw.current = () => paint(element, { block, beneath: same, shown, window: seen, frames, first, hover: hover.current }, tokens[mode]);
    draw.current();
    const stop = clock.subscribe(draw.current);
    const observer = new ResizeObserver(draw.current);
    observer.observe(element);
    return () => {
      stop();
      observer.disconnect();
    };
  });
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
  useEffect(() => {
    const element = canvas.current;
    const turn = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener('wheel', turn, { passive: false });
    return () => element?.removeEventListener('wheel', turn);
  }, [block !== null]);

  if (!block || !thing) {
    return (
      <div className="traces">
        <h2 className="panel-name">Traces</h2>
        <p className="soft empty">As soon as something moves, its position, speed and heading run here over the loop.</p>
      </div>
    );
  }
  const scrub = (event: PointerEvent<HTMLCanvasElement>) => {
    clock.stop();
    clock.seek(Math.round(frameAt(event)));
  };
  const press = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === '+' || event.key === '=') zoom(clock.frame, 1 / KEY);
    else if (event.key === '-') zoom(clock.frame, KEY);
    else if (event.key.toLowerCase() === 'f') setNear(null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="traces traces-body" tabIndex={0} onKeyDown={press} aria-label="Traces: plus and minus go nearer and farther, F shows everything">
      <div className="trace-labels" style={{ width: shown.length > ROOMY ? TIGHT : LABELS }}>
        <Channels block={block} node={thing.node} shown={shown} title={`${name} ${thing.object + 1}`} />
        <Values block={block} shown={shown} />
      </div>
      <canvas
        ref={canvas}
        className="trace-canvas"
        role="img"
        aria-label={`Channels of ${name} over the loop`}
        data-from={seen.from.toFixed(3)}
        data-to={seen.to.toFixed(3)}
        onPointerDown={(event) => {
          held.current = true;
          event.currentTarget.setPointerCapture(event.pointerId);
          scrub(event);
        }}
        onPointerMove={(event) => {
          hover.current = frameAt(event);
          if (held.current) scrub(event);
          else draw.current();
        }}
        onPointerUp={() => (held.current = false)}
        onPointerLeave={() => {
          hover.current = null;
          draw.current();
        }}
        onDoubleClick={() => setNear(null)}
      />
    </div>
  );
}

/** Which channels are drawn, and in what order. */
function Channels({ block, node, shown, title }: { block: TraceBlock; node: string; shown: number[]; title: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const names = block.header.channels.map((channel) => channel.name);
  const chosen = shown.map((index) => names[index] ?? '');
  const rest = names.filter((name) => !chosen.includes(name));
  return (
    <>
      <button type="button" className="trace-thing" aria-haspopup="dialog" title="Choose channels" aria-label={`Channels of ${title}`} onClick={(event) => setAnchor(event.currentTarget)}>
        {title} ▾
      </button>
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: 'top', horizontal: 'left' }} transformOrigin={{ vertical: 'bottom', horizontal: 'left' }} transitionDuration={0} slotProps={{ paper: { className: 'view-menu channels', role: 'dialog', 'aria-label': 'Channels' } }}>
        {[...chosen, ...rest].map((name) => (
          <div key={name} className="channel">
            <Checkbox size="small" checked={chosen.includes(name)} disabled={chosen.length === 1 && chosen.includes(name)} onChange={() => choose(node, toggled(chosen, name))} slotProps={{ input: { 'aria-label': name } }} />
            <span>{name}</span>
            <IconButton size="small" aria-label={`${name} further up`} disabled={!chosen.includes(name) || chosen[0] === name} onClick={() => choose(node, movedBy(chosen, name, -1))}>
              ↑
            </IconButton>
            <IconButton size="small" aria-label={`${name} further down`} disabled={!chosen.includes(name) || chosen.at(-1) === name} onClick={() => choose(node, movedBy(chosen, name, 1))}>
              ↓
            </IconButton>
          </div>
        ))}
      </Popover>
    </>
  );
}

function Values({ block, shown }: { block: TraceBlock; shown: number[] }) {
  const frame = useFrame();
  const step = nearest(block, frame);
  return (
    <>
      {shown.map((index, i) => {
        const channel = block.header.channels[index];
        return channel ? (
          <div key={channel.name} className={`trace-label${shown.length > ROOMY ? ' tight' : ''}`} style={{ top: `calc(${RULER}px + (100% - ${RULER}px) * ${i / shown.length})` }}>
            <strong>{channel.name}</strong>
            <span className="mono">{told(valueAt(block, index, step), channel.unit)}</span>
            {channel.name === 'turn' && flips(block).length > 0 && <span className="flips">{flips(block).length === 1 ? '1 flip' : `${flips(block).length} flips`}</span>}
          </div>
        ) : null;
      })}
    </>
  );
}
