import { useEffect, useRef } from 'react';
import { Matrix4, Vector3 } from 'three';
import type { EndLook, SceneNode } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useScene } from '../../../scene/store';
import { useLive } from '../../live';
import { sides, turnOf } from '../scene3d/shapes/models';
import type { Stage } from '../scene3d/stage';

/** How far from a thing's middle its arrows stand at least: in sizes of the thing, and in pixels. */
const OUT = 0.95;
const APART = 62;

/** The node whose model's sides are named, and a thing that shows it: an Output's own model, one whose clips are played, or one that is bent. */
function holder(nodes: Record<string, SceneNode>, looks: EndLook[], selected: string | null, chosen: Thing | null): { node: string; thing: Thing } | null {
  const own = chosen && nodes[chosen.node]?.params;
  if (chosen && own?.['thing'] === 'own model' && own['model']) return { node: chosen.node, thing: chosen };
  const file = selected === null ? undefined : nodes[selected]?.params?.['file'];
  const shown = looks.filter((end) => end.kinds.some(({ animated, bent }) => file !== undefined && (animated?.file ?? bent?.model?.file) === file));
  const first = shown.find((end) => end.node === chosen?.node) ?? shown[0];
  if (selected === null || !first) return null;
  return { node: selected, thing: chosen?.node === first.node ? chosen : { node: first.node, object: 0 } };
}

type Thing = { node: string; object: number };

/** Six arrows on a model: a click names the side that goes ahead, the next one the side that is up. */
export function ModelArrows({ stage }: { stage: Stage }) {
  const live = useLive();
  const picking = useScene((state) => state.picking);
  const chosen = useScene((state) => state.thing);
  const selected = useScene((state) => state.selected);
  const looks = useScene((state) => state.looks);
  const nodes = useScene((state) => state.document?.nodes);
  if (picking !== 'nose' && picking !== 'top') return null;
  const held = holder(nodes ?? {}, looks, selected, chosen);
  if (!held) return null;
  const { node, thing } = held;
  const params = nodes?.[node]?.params ?? {};
  const nose = String(params['nose'] ?? '+x');
  const top = String(params['top'] ?? '+y');
  const pick = (side: string) => {
    const field = ['nodes', node, 'params'];
    const line = (name: string) => name.slice(1);
    if (picking === 'nose') {
      // A top on the same line would leave no way to stand: another one is taken until it is picked.
      const upright = line(side) === line(top) ? (line(side) === 'y' ? '+z' : '+y') : top;
      live.edit('pick the nose', [put([...field, 'nose'], side), put([...field, 'top'], upright)]);
      useScene.setState({ picking: 'top' });
    } else {
      live.edit('pick the top', [put([...field, 'top'], side)]);
      useScene.setState({ picking: null });
    }
  };
  const offered = Object.keys(sides).filter((side) => picking === 'nose' || side.slice(1) !== nose.slice(1));
  return (
    <>
      {offered.map((side) => (
        <Arrow key={side} stage={stage} node={thing.node} object={thing.object} side={side} turn={turnOf(nose, top)} now={side === (picking === 'nose' ? nose : top)} title={picking} onPick={() => pick(side)} />
      ))}
      <p className="view-hint">{picking === 'nose' ? 'Click the arrow that points ahead.' : 'Click the arrow that points up.'}</p>
    </>
  );
}

function Arrow(props: { stage: Stage; node: string; object: number; side: string; turn: Matrix4; now: boolean; title: string; onPick: () => void }) {
  const { stage, node, object, side, now } = props;
  const element = useRef<HTMLButtonElement>(null);
  const way = useRef(new Vector3());
  way.current.copy(sides[side] ?? new Vector3()).applyMatrix4(props.turn);
  useEffect(() => {
    const place = (share: number): Vector3 | null => {
      const matrix = stage.thingMatrix(node, object);
      if (!matrix) return null;
      const middle = new Vector3().setFromMatrixPosition(matrix);
      const tip = way.current.clone().multiplyScalar(OUT).applyMatrix4(matrix).sub(middle);
      const least = APART * stage.eye.metresPerPixelAt(middle);
      return middle.addScaledVector(tip, share * Math.max(1, least / tip.length()));
    };
    const leave = element.current && stage.pin(element.current, () => place(1));
    const stop = stage.onPicture(() => {
      const [from, to] = [place(0.5), place(1)].map((at) => at && stage.eye.toScreen(at));
      if (from && to && element.current) element.current.style.setProperty('--turn', `${Math.atan2(to.y - from.y, to.x - from.x)}rad`);
    });
    return () => {
      leave?.();
      stop();
    };
  }, [stage, node, object]);
  return (
    <button ref={element} type="button" className={`handle model-arrow${now ? ' now' : ''}`} aria-label={`${props.title} ${side}`} onPointerDown={(event) => event.stopPropagation()} onClick={props.onPick}>
      <span className="model-arrow-mark" aria-hidden="true" />
      <span className="mono model-arrow-name" aria-hidden="true">
        {side}
      </span>
    </button>
  );
}
