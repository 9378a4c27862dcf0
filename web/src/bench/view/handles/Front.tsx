import type { Vector3 } from 'three';
import type { NodeSchema, Op, Scene } from '../../../api/types';
import { put } from '../../../scene/edits';
import { useScene } from '../../../scene/store';
import { isShown, valueOf } from '../../schemas';
import { frontAt, partOf, pulledTo, type Runs } from '../geometry/front';
import { strandsOf, vectorsOf } from '../scene3d/lines';
import type { Stage } from '../scene3d/stage';
import { Pull, numberOf, rounded, within } from './Pull';

/** How much an arrow key changes what is filled by, and with Shift. */
const NUDGE = { usual: 0.01, coarse: 0.1 };

/** How far the path of the selected node is filled: a knob on the path, pulled along it. */
export function Front({ stage, node, schema, document }: { stage: Stage; node: string; schema: NodeSchema; document: Scene }) {
  const thread = Object.values(document.threads ?? {}).find((thread) => thread.to === node && thread.port === 'path');
  const block = useScene((state) => (thread ? state.paths[thread.from] : undefined));
  const param = schema.params.find((param) => param.role?.kind === 'front' && isShown(document, node, schema, param));
  const filled = numberOf(document, node, param);
  if (!block || param?.role?.kind !== 'front' || filled === null) return null;
  const { role } = param;
  const word = (name: string) => {
    const found = schema.params.find((param) => param.name === name);
    return found && valueOf(document, node, found);
  };
  const entry = word(role.from);
  const runs: Runs = { from: entry === role.end ? 'end' : entry === role.middle ? 'middle' : 'start', inTurn: word(role.outlines) === role.turns };
  const strands = strandsOf(block).map(vectorsOf);
  const { part, empties } = partOf(filled);
  const place = (part: number): Vector3 | null => frontAt(strands, part, runs);
  const set = (value: number): Op[] => [put(['nodes', node, 'params', param.name], within(param, rounded(value)))];
  const pulled = (at: Vector3): Op[] => {
    const pointer = stage.eye.toScreen(at);
    const far = (place: Vector3): number => {
      const screen = stage.eye.toScreen(place);
      return pointer && screen ? screen.distanceTo(pointer) : Infinity;
    };
    const before = partOf(numberOf(useScene.getState().document ?? document, node, param) ?? filled).part;
    const to = pulledTo(before, place, far);
    return set(filled - part + to);
  };
  const stands = () => {
    const middle = place(part);
    return middle && { middle, way: stage.axes.right.clone(), normal: stage.eye.sight().negate() };
  };
  const name = document.nodes?.[node]?.name ?? '';
  return <Pull stage={stage} name={`${empties ? 'rear' : 'front'} of ${name}: ${param.label} ${filled}`} place={() => place(part)} stands={stands} ops={pulled} label={`set ${param.label}`} nudged={(up, coarse) => set(filled + (coarse ? NUDGE.coarse : NUDGE.usual) * (up ? 1 : -1))} />;
}
