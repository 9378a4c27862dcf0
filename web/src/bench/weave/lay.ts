import type { Edge } from '@xyflow/react';
import type { NodeSchema, Scene } from '../../api/types';
import type { GroupNode } from './GroupSlip';
import type { SlipNode } from './Slip';
import { kindOf, membersOf } from './work';

/** Size of a slip, and room round the slips of an open group. */
export const SLIP = { width: 156, height: 66 };
export const ROOM = { side: 12, top: 30, bottom: 18 };

export interface Places {
  /** Where slips are while they are dragged. */
  dragged: Record<string, { x: number; y: number }>;
  /** Sizes that were measured. */
  sizes: Record<string, { width: number; height: number }>;
}

/** The node of the Weave that stands for a group. */
export const groupId = (group: string): string => `group ${group}`;

/** Slips and groups of a scene, as they lie in the Weave. */
export function laidNodes(document: Scene, schemas: readonly NodeSchema[], chosen: readonly string[], { dragged, sizes }: Places): (SlipNode | GroupNode)[] {
  const placeOf = (id: string) => dragged[id] ?? { x: document.nodes?.[id]?.at?.[0] ?? 0, y: document.nodes?.[id]?.at?.[1] ?? 0 };
  const groups = Object.entries(document.groups ?? {}).flatMap(([group, { name, shut = false }]): GroupNode[] => {
    const members = membersOf(document, group);
    const places = members.map(placeOf);
    if (places.length === 0) return [];
    const id = groupId(group);
    const [left, top] = [Math.min(...places.map((p) => p.x)), Math.min(...places.map((p) => p.y))];
    const [right, bottom] = [Math.max(...places.map((p) => p.x)) + SLIP.width, Math.max(...places.map((p) => p.y)) + SLIP.height];
    const frame = { width: right - left + 2 * ROOM.side, height: bottom - top + ROOM.top + ROOM.bottom };
    return [
      {
        id,
        type: 'group-slip',
        position: dragged[id] ?? (shut ? { x: left, y: top } : { x: left - ROOM.side, y: top - ROOM.top }),
        ...(shut ? { measured: sizes[id] } : { ...frame, measured: frame }),
        zIndex: shut ? 0 : -1,
        selectable: false,
        data: { group, name, shut, count: members.length },
        ariaLabel: `Group ${name}`,
      },
    ];
  });
  const slips = Object.entries(document.nodes ?? {}).flatMap(([id, node]): SlipNode[] => {
    if (document.groups?.[node.group ?? '']?.shut) return [];
    const schema = schemas.find((schema) => schema.name === node.type);
    return [
      {
        id,
        type: 'slip',
        position: placeOf(id),
        selected: chosen.includes(id),
        // Without what was measured, a slip would be hidden and its threads cut until it is measured anew.
        measured: sizes[id],
        data: { name: node.name, type: node.type, schema: schema ?? null, flat: document.space === 'flat', marks: marksOf(node), driven: drivenPorts(document, schema, id) },
        ariaLabel: `${schema?.title ?? node.type} ${node.name}`,
      },
    ];
  });
  return [...groups, ...slips];
}

/** Numbers of a node that signals are threaded to, as one text, so that it is the same while they are. */
const drivenPorts = (document: Scene, schema: NodeSchema | undefined, id: string): string =>
  Object.values(document.threads ?? {})
    .filter((thread) => thread.to === id && !schema?.inputs.some((input) => input.name === thread.port))
    .map((thread) => thread.port)
    .sort()
    .join(' ');

/** The marks of a node, in words. */
const marksOf = (node: NonNullable<Scene['nodes']>[string]): string => [node.bypassed && 'bypassed', node.hidden && 'hidden', node.solo && 'solo', node.locked && 'locked'].filter(Boolean).join(', ');

/** Threads as they are drawn: those of nodes in a shut group end at the group. */
export function laidThreads(document: Scene, schemas: readonly NodeSchema[], thread: string | null, over: string | null): Edge[] {
  const shutOf = (id: string): string | null => {
    const group = document.nodes?.[id]?.group;
    return group && document.groups?.[group]?.shut ? groupId(group) : null;
  };
  return Object.entries(document.threads ?? {}).flatMap(([id, held]): Edge[] => {
    const [from, to] = [shutOf(held.from), shutOf(held.to)];
    if (from !== null && from === to) return [];
    return [
      {
        id,
        type: 'stitch',
        source: from ?? held.from,
        target: to ?? held.to,
        ...(to === null && { targetHandle: held.port }),
        selected: id === thread || id === over,
        data: { kind: kindOf(schemas, document, held.from), bypassed: document.nodes?.[held.from]?.bypassed === true },
      },
    ];
  });
}

/** True when two states of a scene look the same in the Weave. */
export function sameWeave(a: Scene, b: Scene): boolean {
  if (a === b) return true;
  if (a.threads !== b.threads || a.groups !== b.groups || a.space !== b.space) return false;
  const [nodes, others] = [a.nodes ?? {}, b.nodes ?? {}];
  const ids = Object.keys(nodes);
  if (ids.length !== Object.keys(others).length) return false;
  return ids.every((id) => {
    const [node, other] = [nodes[id], others[id]];
    if (node === other) return true;
    if (!node || !other) return false;
    const same = (['type', 'name', 'at', 'group', 'bypassed', 'hidden', 'solo', 'locked'] as const).every((field) => node[field] === other[field]);
    return same;
  });
}
