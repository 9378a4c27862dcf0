import { useEffect, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { Plane, type Vector3 } from 'three';
import type { Op, Param, Scene } from '../../../api/types';
import { useLive } from '../../live';
import { valueOf } from '../../schemas';
import type { Stage } from '../scene3d/stage';

/** What something is pulled about: where it is, which way it goes, and the normal of the plane in which is pulled. */
export interface Stands {
  middle: Vector3;
  way: Vector3;
  normal: Vector3;
}

/** Digits of a distance or an angle that is pulled. */
export const rounded = (value: number): number => Number(value.toPrecision(4));

export const within = (param: Param, value: number): number => ('min' in param.values && 'max' in param.values ? Math.min(param.values.max, Math.max(param.values.min, value)) : value);

/** A number of a node that stands in the document; nothing where it is given otherwise. */
export const numberOf = (document: Scene, node: string, param: Param | undefined): number | null => {
  const value = param && valueOf(document, node, param);
  return typeof value === 'number' ? value : null;
};

interface Pulled {
  stage: Stage;
  name: string;
  place: () => Vector3 | null;
  /** What it is pulled about, when a pull begins. */
  stands: () => Stands | null;
  ops: (at: Vector3, stands: Stands) => Op[];
  label: string;
  nudged: (up: boolean, coarse: boolean) => Op[];
}

/** A knob that is pulled over a plane through what it is about, or changed with the arrow keys. */
export function Pull(props: Pulled) {
  const { stage, label } = props;
  const live = useLive();
  const element = useRef<HTMLButtonElement>(null);
  const place = useRef(props.place);
  place.current = props.place;
  const held = useRef<{ stands: Stands; moved: boolean } | null>(null);
  useEffect(() => (element.current ? stage.pin(element.current, () => place.current()) : undefined), [stage]);
  const ops = (event: PointerEvent): Op[] | null => {
    const drag = held.current;
    if (!drag) return null;
    const hit = stage.eye.onPlane(event.clientX, event.clientY, new Plane().setFromNormalAndCoplanarPoint(drag.stands.normal, drag.stands.middle));
    return hit && props.ops(hit, drag.stands);
  };
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    stage.stay();
    const stands = props.stands();
    if (!stands) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    held.current = { stands, moved: false };
  };
  const move = (event: PointerEvent<HTMLButtonElement>) => {
    const to = ops(event);
    if (!to || !held.current) return;
    held.current.moved = true;
    live.preview(to);
  };
  const up = (event: PointerEvent<HTMLButtonElement>) => {
    const to = held.current?.moved ? ops(event) : null;
    held.current = null;
    if (to) live.edit(label, to);
  };
  const press = (event: KeyboardEvent) => {
    const ways: Record<string, boolean> = { ArrowUp: true, ArrowRight: true, ArrowDown: false, ArrowLeft: false };
    const way = ways[event.key];
    if (way === undefined || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    live.edit(label, props.nudged(way, event.shiftKey));
  };
  return (
    <button
      ref={element}
      type="button"
      className="handle surround-grip"
      aria-label={props.name}
      title={props.name}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={() => {
        held.current = null;
        live.endPreview();
      }}
      onKeyDown={press}
    />
  );
}
