import { useEffect, useRef, type PointerEvent } from 'react';
import { put } from '../../scene/edits';
import { clock, useFrame, usePlaying } from '../../scene/clock';
import { selectThing, useScene } from '../../scene/store';
import { useLive } from '../live';
import { gapText, outputsOf } from '../seam/gap';
import { Knot } from './Knot';

/** The middle lies a little low, so that the knot has its place over the rim. */
const CENTRE = { x: 100, y: 106 };
const RIM = 80;
const BAND = 70;

const turn = (phase: number, radius: number): [number, number] => {
  const angle = phase * 2 * Math.PI;
  return [CENTRE.x + radius * Math.sin(angle), CENTRE.y - radius * Math.cos(angle)];
};

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
    <div className="dial">
      <svg ref={svg} viewBox="0 0 200 200" role="group" aria-label="Dial">
        <circle cx={CENTRE.x} cy={CENTRE.y} r={RIM} className="rim" />
        {Array.from({ length: 48 }, (_, i) => {
          const [x1, y1] = turn(i / 48, RIM - (i % 12 === 0 ? 8 : 3));
          const [x2, y2] = turn(i / 48, RIM);
          return <line key={i} x1={x1} y1={y1} x2={x2} y2={y2} className="scale" />;
        })}
        {end && <Spiral node={end.node} />}
        {end && <Phases phases={end.phases} node={end.node} phaseAt={phaseAt} selected={thing?.object ?? 0} />}
        {end && end.density.length > 0 && <Band density={end.density} />}
        {end?.contacts
          .filter((contact) => contact.speed_in > 0.01)
          .map((contact, i) => {
            const [x, y] = turn(contact.frame / frames, BAND - 14);
            return (
              <path key={i} className="nick" d="M-4 -5 L0 3 L4 -5" transform={`translate(${x} ${y}) rotate(${(contact.frame / frames) * 360})`}>
                <title>{`${contact.other} at frame ${(contact.frame + first).toFixed(2)}`}</title>
              </path>
            );
          })}
        <Bead frames={frames} phaseAt={phaseAt} />
      </svg>
      {shown.length > 0 && <SeamKnot closes={closes} gap={gapText(shown)} />}
      <Middle frames={frames} first={first} />
    </div>
  );
}

/** The thread at twelve o'clock. */
function SeamKnot({ closes, gap }: { closes: boolean; gap: string }) {
  return (
    <button
      type="button"
      className={`seam-knot ${closes ? 'closed' : 'open'}`}
      aria-label={closes ? 'The loop closes: open the Seam report' : `The loop is open by ${gap}: open the Seam report`}
      data-closes={closes}
      onClick={() => useScene.setState({ seamOpen: true })}
    >
      <Knot closed={closes} />
      {!closes && <span className="mono">{gap}</span>}
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
        {frame + first}
      </span>
      <span className="soft">of {frames}</span>
    </div>
  );
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

/** A tick per rider at its phase: dragging one turns them all, since they are spaced evenly. */
function Phases(props: { phases: number[]; node: string; selected: number; phaseAt: (event: PointerEvent) => number }) {
  const live = useLive();
  const ride = useScene((state) => upstreamRide(state.document?.nodes ?? {}, state.document?.threads ?? {}, props.node));
  const start = useScene((state) => (ride ? Number(state.document?.nodes?.[ride]?.params?.['start'] ?? 0) : 0));
  const held = useRef<{ phase: number; start: number; last: number } | null>(null);
  const at = ride ? ['nodes', ride, 'params', 'start'] : null;
  const moved = (event: PointerEvent) => {
    const { phase, start } = held.current ?? { phase: 0, start: 0 };
    let by = props.phaseAt(event) - phase;
    by -= Math.round(by);
    return Number((start + by).toFixed(6));
  };
  return (
    <g>
      {props.phases.map((phase, object) => {
        const [x1, y1] = turn(phase, BAND - 4);
        const [x2, y2] = turn(phase, BAND + 6);
        return (
          <g
            key={object}
            className={`tick${object === props.selected ? ' selected' : ''}`}
            onPointerDown={(event) => {
              event.stopPropagation();
              selectThing(props.node, object);
              event.currentTarget.setPointerCapture(event.pointerId);
              held.current = { phase: props.phaseAt(event), start, last: start };
            }}
            onPointerMove={(event) => {
              if (!held.current || !at) return;
              held.current.last = moved(event);
              live.preview([put(at, held.current.last)]);
            }}
            onPointerUp={() => {
              const last = held.current;
              held.current = null;
              if (last && at && last.last !== last.start) live.edit('shift the riders', [put(at, last.last)]);
            }}
          >
            <line x1={x1} y1={y1} x2={x2} y2={y2} className="tick-hit" />
            <line x1={x1} y1={y1} x2={x2} y2={y2} className="tick-mark" />
            <title>{`thing ${object + 1} at ${phase.toFixed(3)} laps`}</title>
          </g>
        );
      })}
    </g>
  );
}

/** How many things are where, for crowds. */
function Band({ density }: { density: number[] }) {
  return (
    <g className="band">
      {density.map((share, i) => {
        const phase = (i + 0.5) / density.length;
        const [x1, y1] = turn(phase, BAND - 5);
        const [x2, y2] = turn(phase, BAND - 5 + 12 * share);
        return <line key={i} x1={x1} y1={y1} x2={x2} y2={y2} />;
      })}
    </g>
  );
}

/** Laps per loop as turns of a thin spiral. */
function Spiral({ node }: { node: string }) {
  const ride = useScene((state) => upstreamRide(state.document?.nodes ?? {}, state.document?.threads ?? {}, node));
  const text = useScene((state) => (ride ? String(state.document?.nodes?.[ride]?.params?.['laps'] ?? '1') : ''));
  if (!ride) return null;
  const [above = 0, below = 1] = text.split('/').map(Number);
  const laps = above / below;
  const turns = Math.min(Math.abs(laps), 12);
  const steps = Math.max(2, Math.ceil(turns * 48));
  const points = Array.from({ length: steps + 1 }, (_, i) => {
    const [x, y] = turn((Math.sign(laps) * turns * i) / steps, 54 - (16 * i) / steps);
    return `${x.toFixed(2)},${y.toFixed(2)}`;
  });
  return <polyline points={points.join(' ')} className="spiral" />;
}

type Nodes = Record<string, { type: string }>;
type Threads = Record<string, { from: string; to: string }>;

/** The Ride that a motion comes from, if it does. */
function upstreamRide(nodes: Nodes, threads: Threads, node: string): string | null {
  if (nodes[node]?.type === 'ride') return node;
  for (const thread of Object.values(threads)) {
    if (thread.to === node && nodes[thread.from]) {
      const found = upstreamRide(nodes, threads, thread.from);
      if (found) return found;
    }
  }
  return null;
}
