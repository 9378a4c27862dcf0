import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import type { NodeSchema, Op, Param, Role, Scene } from '../api/types';
import { put } from '../scene/edits';
import { portsOf } from '../scene/giving';
import { isKeyed } from '../scene/keyed';

/** What every node type declares. */
export function useSchemas(): NodeSchema[] {
  return useQuery({ queryKey: ['nodes'], queryFn: api.nodes, staleTime: Infinity }).data ?? [];
}

/** A parameter's value, or its default. */
export function valueOf(document: Scene, node: string, param: Param): unknown {
  const given = document.nodes?.[node]?.params?.[param.name];
  if (given !== undefined) return given;
  if ('default' in param.values) return param.values.default;
  return ['points', 'moved-points', 'per-thing', 'looks', 'keys'].includes(param.values.kind) ? [] : '';
}

/** True when a formula, keys or a signal give a parameter, or a part of it: then it cannot be taken hold of. */
export function byFormula(document: Scene, node: string, param: Param): boolean {
  const ports = portsOf(param);
  if (Object.values(document.threads ?? {}).some((thread) => thread.to === node && ports.includes(thread.port))) return true;
  const value = valueOf(document, node, param);
  const given = (part: unknown) => isKeyed(part) || (typeof part === 'object' && part !== null && 'formula' in part);
  return given(value) || (Array.isArray(value) && value.some(given));
}

/** True when a parameter makes sense in this scene and with the node's other values. */
export function isShown(document: Scene, node: string, schema: NodeSchema, param: Param): boolean {
  if (param.spaces !== 'both' && param.spaces !== document.space) return false;
  if (!param.only_when) return true;
  const [name, values] = param.only_when;
  const other = schema.params.find((p) => p.name === name);
  return !other || (isShown(document, node, schema, other) && values.includes(String(valueOf(document, node, other))));
}

/** True where a number, or a fraction as a text, lies within what a parameter takes. */
function takes({ values }: Param, value: unknown): boolean {
  if (!('min' in values)) return true;
  const [above = NaN, below = 1] = String(value).split('/').map(Number);
  return above / below >= values.min && above / below <= values.max;
}

/** What goes with a new choice: numbers that it brings into use say what those it leaves out said (`alike`). */
export function carriedOver(schemas: readonly NodeSchema[], document: Scene, node: string, choice: Param, value: unknown, alike: Record<string, unknown>): Op[] {
  if (choice.values.kind !== 'choice') return [];
  const schema = schemas.find((schema) => schema.name === document.nodes?.[node]?.type);
  const comes = (param: Param) => param.only_when?.[0] === choice.name && param.only_when[1].includes(String(value)) && !param.only_when[1].includes(String(valueOf(document, node, choice)));
  return (schema?.params ?? [])
    .filter((param) => comes(param) && alike[param.name] !== undefined && takes(param, alike[param.name]) && !byFormula(document, node, param))
    .map((param) => put(['nodes', node, 'params', param.name], alike[param.name]));
}

/** The nearest node at or above one with a parameter that can be taken hold of as this, and that parameter. */
export function upstreamRole(document: Scene, schemas: readonly NodeSchema[], node: string, role: Role['kind']): { node: string; param: Param } | null {
  const seen = new Set<string>();
  let row = [node];
  while (row.length > 0) {
    for (const id of row) {
      const schema = schemas.find((schema) => schema.name === document.nodes?.[id]?.type);
      const param = schema?.params.find((param) => param.role?.kind === role && isShown(document, id, schema, param) && !byFormula(document, id, param));
      if (param) return { node: id, param };
      seen.add(id);
    }
    const above = Object.values(document.threads ?? {}).filter((thread) => row.includes(thread.to) && !seen.has(thread.from));
    row = [...new Set(above.map((thread) => thread.from))];
  }
  return null;
}
