import { Tooltip } from '@mui/material';
import { useEffect, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import type { EndReport, NodeStatus, Scene } from '../../api/types';
import { put } from '../../scene/edits';
import { clock, playModes, playSpeeds, useFrame, usePlaying, usePlayMode, usePlayRange, usePlaySpeed } from '../../scene/clock';
import { cutsOf, select, selectThing, spansOf, useScene } from '../../scene/store';
import { fractionValue } from '../card/Row';
import { useLive } from '../live';
import { upstreamRole, useSchemas, valueOf } from '../schemas';
import { gapText, outputsOf } from '../seam/gap';
import { Knot } from './Knot';
import { shifting, shortest, turnedLength, type Along } from './shift';
import { Lives } from './Lives';
import { CENTRE, turn } from './turn';
import './dial.css';

const RIM = 80;
const BAND = 70;
/** So many contacts would be a grey ring, and not all are told: none is drawn. */
const MOST_NICKS = 400;
/** The outermost of the inner bands. */
const SPANS = 61;
/** Where the mark that is dragged for the loop length stands, turns. */
const LENGTH_MARK = 0.06;
/** Laps that an arrow key shifts a tick by. */
const STEP = 0.005;

/** The marks on the rim. */
const scale = Array.from({ length: 48 }, (_, i) => {
  const [x1, y1] = turn(i / 48, RIM - (i % 12 === 0 ? 8 : 3));
  const [x2, y2] = turn(i / 48, RIM);
  return <line key={i} x1={x1} y1={y1} x2={x2} y2={y2} className="scale" />;
});

const along = (event: { shiftKey: boolean; altKey: boolean }): Along => (event.shiftKey ? 'all' : event.altKey ? 'in order' : 'one');

/** The loop as a circle: twelve o'clock is the seam, time runs clockwise. */
export function Dial() {
  const frames = useScene((state) => state.document?.frames ?? 1);
  const first = useScene((state) => state.document?.first_frame ?? 0);
  const ends = useScene((state) => state.ends);
  const thing = useScene((state) => state.thing);
  const shown = outputsOf(ends);
  const end = ends.find((end) => end.node === thing?.node) ?? shown[0];
  const closes = shown.every((end) => end.seam.closes);
  const svg = useRef<SVGSVGElement>(null);

  const phaseAt = (event: PointerEvent): number => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return 0;
    const scale = Math.min(box.width, box.height) / 200;
    const [x, y] = [event.clientX - box.left - box.width / 2, event.clientY - box.top - box.height / 2];
    const angle = Math.atan2(x - (CENTRE.x - 100) * scale, (CENTRE.y - 100) * scale - y);
    return (angle / (2 * Math.PI) + 1) % 1;
  };
  return (
    <div className="dial dial-body" tabIndex={-1}>
      <svg ref={svg} viewBox="0 0 200 200" role="group" aria-label="Dial">
        <circle cx={CENTRE.x} cy={CENTRE.y} r={RIM} className="rim" />
        {scale}
        <Played frames={frames} />
        <Spans frames={frames} first={first} />
        {end && <Spiral node={end.node} />}
        {(end && end.contacts.length < MOST_NICKS ? end.contacts : [])
          .filter((contact) => contact.speed_in > 0.01)
          .map((contact, i) => {
            const [x, y] = turn(contact.frame / frames, BAND - 14);
            return (
              <path key={i} className="nick" d="M-4 -5 L0 3 L4 -5" transform={`translate(${x} ${y}) rotate(${(contact.frame / frames) * 360})`}>
                <title>{`${contact.other} at frame ${(contact.frame + first).toFixed(2)}`}</title>
              </path>
            );
          })}
        <Cuts frames={frames} />
        {end?.lives && <Lives lives={end.lives} radius={RIM} />}
        <Bead frames={frames} phaseAt={phaseAt} />
        {end && end.density.length > 0 && <Band end={end} phaseAt={phaseAt} />}
        {end && <Phases end={end} phaseAt={phaseAt} selected={thing?.object ?? 0} />}
        <LengthMark frames={frames} phaseAt={phaseAt} />
      </svg>
      {shown.length > 0 && <SeamKnot closes={closes} gap={gapText(shown)} />}
      <Middle frames={frames} first={first} />
      <Playing />
    </div>
  );
}

/** The thread at twelve o'clock. */
function SeamKnot({ closes, gap }: { closes: boolean; gap: string }) {
  return (
    <button
      type="button"
      className={`seam-knot ${closes ? 'closed' : 'open'}`}
      aria-label={closes ? 'The loop closes: open the Seam report' : `The loop is open · ${gap}: open the Seam report`}
      data-closes={closes}
      onClick={() => useScene.setState({ aside: 'seam' })}
    >
      <Knot closed={closes} />
      {!closes && <span className="mono">{gap.replace('leaps ', '')}</span>}
    </button>
  );
}

function Middle({ frames, first }: { frames: number; first: number }) {
  const frame = useFrame();
  const playing = usePlaying();
  return (
    <div className="dial-middle">
      <button type="button" className="play" aria-label={playing ? 'Stop' : 'Play'} onClick={() => clock.toggle()}>
        {playing ? <span className="stop-mark" /> : <span className="play-mark" />}
      </button>
      <span className="now mono" data-testid="frame">
        {Math.round((frame + first) * 1000) / 1000}
      </span>
      <span className="soft">of {frames}</span>
    </div>
  );
}

/** How it is played: round, once, there and back; and how fast. */
function Playing() {
  const mode = usePlayMode();
  const speed = usePlaySpeed();
  const range = usePlayRange();
  const first = useScene((state) => state.document?.first_frame ?? 0);
  const next = <T,>(list: readonly T[], now: T): T => list[(list.indexOf(now) + 1) % list.length] as T;
  return (
    <div className="dial-playing">
      <Tooltip title="What happens where playing ends">
        <button type="button" className="small" aria-label={`Plays ${mode}`} onClick={() => clock.setMode(next(playModes, mode))}>
          {{ loop: 'loop', once: 'once', 'there and back': '⇄' }[mode]}
        </button>
      </Tooltip>
      {range ? (
        <Tooltip title="Play the whole loop again">
          <button type="button" className="small mono" aria-label={`Plays frames ${range.from + first} to ${range.to - 1 + first}: play the whole loop again`} onClick={() => clock.setRange(null)}>
            {`${range.from + first}–${range.to - 1 + first} ×`}
          </button>
        </Tooltip>
      ) : (
        <span />
      )}
      <Tooltip title="Speed of playing">
        <button type="button" className="small mono" aria-label={`Speed ${speed}`} onClick={() => clock.setSpeed(next(playSpeeds, speed))}>
          {speed === 1 ? '1×' : `1/${Math.round(1 / speed)}`}
        </button>
      </Tooltip>
    </div>
  );
}

/** An arc between two phases. */
function arc(from: number, to: number, radius: number): string {
  const [x1, y1] = turn(from, radius);
  const [x2, y2] = turn(to, radius);
  return `M${x1} ${y1} A${radius} ${radius} 0 ${to - from > 0.5 ? 1 : 0} 1 ${x2} ${y2}`;
}

/** The frames that are played, where they are not all. */
function Played({ frames }: { frames: number }) {
  const range = usePlayRange();
  return range ? <path className="played" d={arc(range.from / frames, range.to / frames, RIM - 4)} /> : null;
}

/** The playhead: a bead that drags; the arrow keys step it. */
function Bead({ frames, phaseAt }: { frames: number; phaseAt: (event: PointerEvent) => number }) {
  const bead = useRef<SVGCircleElement>(null);
  const held = useRef(false);
  useEffect(() => {
    const show = () => {
      const [x, y] = turn(clock.frame / frames, RIM);
      bead.current?.setAttribute('cx', String(x));
      bead.current?.setAttribute('cy', String(y));
      bead.current?.setAttribute('aria-valuenow', String(Math.floor(clock.frame)));
    };
    show();
    return clock.subscribe(show);
  }, [frames]);
  const scrub = (event: PointerEvent) => {
    clock.stop();
    clock.seek(Math.round(phaseAt(event) * frames));
  };
  return (
    <g
      onPointerDown={(event) => {
        held.current = true;
        event.currentTarget.setPointerCapture(event.pointerId);
        scrub(event);
      }}
      onPointerMove={(event) => held.current && scrub(event)}
      onPointerUp={() => (held.current = false)}
    >
      <circle cx={CENTRE.x} cy={CENTRE.y} r={RIM} className="track" />
      <circle ref={bead} r="6.5" className="bead" role="slider" tabIndex={0} aria-label="Playhead" aria-valuemin={0} aria-valuemax={frames - 1} aria-valuenow={0} />
    </g>
  );
}

/** Loop length: a mark on the rim that is turned, a whole turn for half as much again. */
function LengthMark({ frames, phaseAt }: { frames: number; phaseAt: (event: PointerEvent) => number }) {
  const live = useLive();
  const held = useRef<{ frames: number; last: number; turns: number; wished: number } | null>(null);
  const wished = (to: number) => [put(['frames'], to)];
  const [x, y] = turn(LENGTH_MARK, RIM + 8);
  const press = (event: KeyboardEvent) => {
    const on: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };
    const step = on[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    const to = Math.max(1, Math.min(100000, frames + step * (event.shiftKey ? 10 : 1)));
    if (to !== frames) live.edit('set loop length', wished(to));
  };
  return (
    <g
      className="length-mark"
      role="slider"
      tabIndex={0}
      aria-label="Loop length"
      aria-valuemin={1}
      aria-valuemax={100000}
      aria-valuenow={frames}
      transform={`translate(${x} ${y}) rotate(${LENGTH_MARK * 360})`}
      onKeyDown={press}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        held.current = { frames, last: phaseAt(event), turns: 0, wished: frames };
      }}
      onPointerMove={(event) => {
        const from = held.current;
        if (!from) return;
        const now = phaseAt(event);
        from.turns += shortest(now - from.last);
        from.last = now;
        from.wished = turnedLength(from.frames, from.turns);
        live.preview(wished(from.wished));
      }}
      onPointerUp={() => {
        const from = held.current;
        held.current = null;
        if (!from) return;
        if (from.wished !== from.frames) live.edit('set loop length', wished(from.wished));
        else live.endPreview();
      }}
    >
      <title>{`Loop length ${frames} frames: drag round, or press the arrow keys`}</title>
      <circle r="9" fill="transparent" />
      <path d="M-4 3 L0 -4 L4 3 Z" />
    </g>
  );
}

/** A tick for each thing at its phase: dragged alone, with Shift all together, with Alt all in order. */
function Phases({ end, phaseAt, selected }: { end: EndReport; phaseAt: (event: PointerEvent) => number; selected: number }) {
  const live = useLive();
  const schemas = useSchemas();
  const held = useRef<{ object: number; phase: number; by: number; along: Along; document: Scene } | null>(null);
  const locked = useScene((state) => {
    const phase = state.document && upstreamRole(state.document, schemas, end.node, 'phase');
    return !phase || state.document?.nodes?.[phase.node]?.locked === true;
  });
  const ops = (document: Scene, object: number, by: number, way: Along) => shifting(document, schemas, end.node, object, end.phases.length, by, way);
  const label = { one: 'shift a thing', all: 'shift the riders', 'in order': 'shift the riders in order' };
  const press = (event: KeyboardEvent, object: number) => {
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      const next = (object + (event.key === 'ArrowUp' ? 1 : -1) + end.phases.length) % end.phases.length;
      selectThing(end.node, next);
      const ticks = event.currentTarget.parentElement?.querySelectorAll<SVGGElement>('.tick');
      ticks?.[next]?.focus();
    } else if ((event.key === 'ArrowLeft' || event.key === 'ArrowRight') && !locked) {
      const { document } = useScene.getState();
      const way = along(event);
      if (document) live.edit(label[way], ops(document, object, event.key === 'ArrowRight' ? STEP : -STEP, way));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <g>
      {end.phases.map((phase, object) => {
        const [x1, y1] = turn(phase, BAND - 4);
        const [x2, y2] = turn(phase, BAND + 6);
        return (
          <g
            key={object}
            className={`tick${object === selected ? ' selected' : ''}`}
            role="slider"
            tabIndex={object === selected ? 0 : -1}
            aria-label={`Phase of ${end.name} ${object + 1}`}
            aria-valuemin={0}
            aria-valuemax={1}
            aria-valuenow={Number(phase.toFixed(4))}
            onKeyDown={(event) => press(event, object)}
            onPointerDown={(event) => {
              event.stopPropagation();
              selectThing(end.node, object);
              const { document } = useScene.getState();
              if (locked || !document) return;
              event.currentTarget.setPointerCapture(event.pointerId);
              held.current = { object, phase: phaseAt(event), by: 0, along: along(event), document };
            }}
            onPointerMove={(event) => {
              const from = held.current;
              if (!from) return;
              from.by = shortest(phaseAt(event) - from.phase);
              from.along = along(event);
              const made = ops(from.document, object, from.by, from.along);
              if (made.length > 0) live.preview(made);
            }}
            onPointerUp={() => {
              const from = held.current;
              held.current = null;
              if (!from || from.by === 0) return;
              const made = ops(from.document, object, from.by, from.along);
              if (made.length > 0) live.edit(label[from.along], made);
              else live.endPreview();
            }}
          >
            <line x1={x1} y1={y1} x2={x2} y2={y2} className="tick-hit" />
            <line x1={x1} y1={y1} x2={x2} y2={y2} className="tick-mark" />
            <title>{`thing ${object + 1} at ${phase.toFixed(3)} laps · drag, with Shift all, with Alt all in order`}</title>
          </g>
        );
      })}
    </g>
  );
}

/** How many things are where, for crowds; it is dragged as a whole. */
function Band({ end, phaseAt }: { end: EndReport; phaseAt: (event: PointerEvent) => number }) {
  const live = useLive();
  const schemas = useSchemas();
  const held = useRef<{ phase: number; by: number; document: Scene } | null>(null);
  const ops = (document: Scene, by: number) => shifting(document, schemas, end.node, 0, end.things, by, 'all');
  const press = (event: KeyboardEvent) => {
    const { document } = useScene.getState();
    if (!document || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
    event.preventDefault();
    event.stopPropagation();
    live.edit('shift the riders', ops(document, event.key === 'ArrowRight' ? STEP : -STEP));
  };
  return (
    <g
      className="band"
      role="slider"
      tabIndex={0}
      aria-label={`Phases of ${end.name}`}
      aria-valuenow={0}
      onKeyDown={press}
      onPointerDown={(event) => {
        const { document } = useScene.getState();
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        held.current = document && { phase: phaseAt(event), by: 0, document };
      }}
      onPointerMove={(event) => {
        const from = held.current;
        if (!from) return;
        from.by = shortest(phaseAt(event) - from.phase);
        const made = ops(from.document, from.by);
        if (made.length > 0) live.preview(made);
      }}
      onPointerUp={() => {
        const from = held.current;
        held.current = null;
        if (from && from.by !== 0) live.edit('shift the riders', ops(from.document, from.by));
      }}
    >
      <circle cx={CENTRE.x} cy={CENTRE.y} r={BAND} fill="none" stroke="transparent" strokeWidth={14} pointerEvents="stroke" />
      {end.density.map((share, i) => {
        const phase = (i + 0.5) / end.density.length;
        const [x1, y1] = turn(phase, BAND - 5);
        const [x2, y2] = turn(phase, BAND - 5 + 12 * share);
        return <line key={i} x1={x1} y1={y1} x2={x2} y2={y2} />;
      })}
    </g>
  );
}

/** Laps per loop as turns of a thin spiral. */
function Spiral({ node }: { node: string }) {
  const schemas = useSchemas();
  const text = useScene((state) => {
    const found = state.document && upstreamRole(state.document, schemas, node, 'laps');
    return found && state.document ? String(valueOf(state.document, found.node, found.param)) : '';
  });
  if (!text) return null;
  const laps = fractionValue(text);
  const turns = Math.min(Math.abs(laps), 12);
  const steps = Math.max(2, Math.ceil(turns * 48));
  const points = Array.from({ length: steps + 1 }, (_, i) => {
    const [x, y] = turn((Math.sign(laps) * turns * i) / steps, 54 - (16 * i) / steps);
    return `${x.toFixed(2)},${y.toFixed(2)}`;
  });
  return <polyline points={points.join(' ')} className="spiral" />;
}

/** Most spans that have a ring of their own. */
const MOST_SPANS = 3;

const namedSpans = (nodes: Record<string, NodeStatus>, frames: number, document: Scene | null) =>
  spansOf(nodes, frames)
    .slice(0, MOST_SPANS)
    .map((span) => ({ ...span, name: document?.nodes?.[span.node]?.name ?? span.node }));

/** The stretches of the loop in which signals do something, each a band further in; a click shows the signal. */
function Spans({ frames, first }: { frames: number; first: number }) {
  // One text, so that it is the same for as long as what is drawn is.
  const text = useScene(({ nodes, document }) => JSON.stringify(namedSpans(nodes, frames, document)));
  const chosen = useScene((state) => state.chosen);
  return (JSON.parse(text) as ReturnType<typeof namedSpans>).map(({ node, from, to, name }, ring) => {
    return (
      <path
        key={node}
        className={`span${chosen.includes(node) ? ' selected' : ''}`}
        role="button"
        tabIndex={0}
        aria-label={`${name}: frames ${from + first} to ${to + first}`}
        d={arc(from / frames, to / frames, SPANS - 5 * ring)}
        onClick={() => select(node)}
        onKeyDown={(event) => {
          if (event.key !== 'Enter') return;
          event.stopPropagation();
          select(node);
        }}
      >
        <title>{`${name}: frames ${from + first} to ${to + first}`}</title>
      </path>
    );
  });
}

/** Where one shot cuts to another: a line across the rim. */
function Cuts({ frames }: { frames: number }) {
  const cuts = useScene((state) => cutsOf(state.nodes).join());
  if (cuts === '') return null;
  return cuts.split(',').map((cut) => {
    const [[x1, y1], [x2, y2]] = [turn(Number(cut) / frames, RIM - 16), turn(Number(cut) / frames, RIM + 6)];
    return (
      <line key={cut} className="cut" x1={x1} y1={y1} x2={x2} y2={y2}>
        <title>{`cut at frame ${cut}`}</title>
      </line>
    );
  });
}
