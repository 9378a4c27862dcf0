import { useQuery } from '@tanstack/react-query';
import { api } from '../api/client';
import type { NodeSchema, Param, Scene } from '../api/types';

/** What every node type declares. */
export function useSchemas(): NodeSchema[] {
  return useQuery({ queryKey: ['nodes'], queryFn: api.nodes, staleTime: Infinity }).data ?? [];
}

/** A parameter's value, or its default. */
export function valueOf(document: Scene, node: string, param: Param): unknown {
  const given = document.nodes?.[node]?.params?.[param.name];
  if (given !== undefined) return given;
  return 'default' in param.values ? param.values.default : '';
}

/** True when a parameter makes sense in this scene and with the node's other values. */
export function isShown(document: Scene, node: string, schema: NodeSchema, param: Param): boolean {
  if (param.spaces !== 'both' && param.spaces !== document.space) return false;
  if (!param.only_when) return true;
  const [name, values] = param.only_when as [string, string[]];
  const other = schema.params.find((p) => p.name === name);
  return !other || values.includes(String(valueOf(document, node, other)));
}
