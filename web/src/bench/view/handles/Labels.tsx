import { useEffect, useRef } from 'react';
import { Vector3 } from 'three';
import { clock } from '../../../scene/clock';
import { useScene } from '../../../scene/store';
import { useWoven } from '../../weave/woven';
import { nearest, told, valueAt } from '../../traces/read';
import type { Stage } from '../scene3d/stage';
import { isVisible } from '../visible';

/** Names of paths, and the selected thing in its running stitch with what it is doing. */
export function Labels({ stage, names }: { stage: Stage; names: boolean }) {
  const paths = useScene((state) => state.paths);
  const woven = useWoven();
  const thing = useScene((state) => state.thing);
  const picking = useScene((state) => state.picking);
  return (
    <>
      {names &&
        Object.entries(paths).filter(([node]) => woven && isVisible(woven, node)).map(([node, path], i) => (
          <PathName key={node} stage={stage} name={woven?.nodes?.[node]?.name ?? ''} length={path.header.length} drawn={path.header.of > path.header.strands.length ? `${path.header.strands.length} of ${path.header.of} strands drawn` : ''} at={lowest(path.numbers.subarray(0, 3 * path.header.strands.reduce((sum, strand) => sum + strand.points, 0)), i)} />
        ))}
      {thing && !picking && <ThingLabel key={`${thing.node}/${thing.object}`} stage={stage} node={thing.node} object={thing.object} />}
    </>
  );
}

/** Radians by which the names of paths stand further round, one after the other, so that they do not lie on each other. */
const ROUND = 0.5;

/** The place of a path nearest to the viewer, or so many steps to the right of that, where its name is in nobody's way. */
function lowest(numbers: Float32Array, steps: number): Vector3 {
  const [right, near] = [Math.sin(ROUND * steps), Math.cos(ROUND * steps)];
  const score = (i: number) => right * (numbers[i] ?? 0) - (numbers[i + 1] ?? 0) + near * (numbers[i + 2] ?? 0);
  let best = 0;
  for (let i = 3; i + 2 < numbers.length; i += 3) if (score(i) > score(best)) best = i;
  return new Vector3().fromArray(numbers, best);
}

function PathName({ stage, name, length, drawn, at }: { stage: Stage; name: string; length: number; drawn: string; at: Vector3 }) {
  const element = useRef<HTMLDivElement>(null);
  const place = useRef(at);
  place.current = at;
  useEffect(() => (element.current ? stage.pin(element.current, () => place.current) : undefined), [stage]);
  return (
    <div className="pinned path-label" data-room="150" data-line="17" ref={element}>
      <span className="path-name">{[name, `${length.toFixed(1)} m`, drawn].filter(Boolean).join(' · ')}</span>
    </div>
  );
}

function ThingLabel({ stage, node, object }: { stage: Stage; node: string; object: number }) {
  const element = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => stage.thingAt(node, object)) : undefined), [stage, node, object]);
  useEffect(
    () =>
      stage.onPicture(() => {
        if (text.current) text.current.textContent = doing(node, object);
      }),
    [stage, node, object],
  );
  const name = useScene((state) => state.document?.nodes?.[node]?.name ?? '');
  return (
    <div className="pinned thing-label" data-room="210" ref={element}>
      <span className="stitched" />
      <span className="thing-text">
        <strong>{`${name} ${object + 1}`}</strong>
        <span ref={text} className="mono" />
      </span>
    </div>
  );
}

/** Where on the path it began, and how fast it is at the frame on screen. */
function doing(node: string, object: number): string {
  const { ends, traces } = useScene.getState();
  const phase = ends.find((end) => end.node === node)?.phases[object];
  const start = phase === undefined ? '' : `start ${phase.toFixed(2)} laps`;
  if (!traces || traces.header.node !== node || traces.header.object !== object) return start;
  const index = traces.header.channels.findIndex((channel) => channel.name === 'speed');
  const speed = told(valueAt(traces, index, nearest(traces, Math.floor(clock.frame))), 'm/s');
  return start ? `${start} · ${speed}` : speed;
}
