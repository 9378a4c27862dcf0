import pLimit from 'p-limit';
import { browserName } from './page';
import type { Baked, Book, Comparison, FileReport, Keep, Kept, LivingMiniature, Look, NodeSchema, Op, OrderedFiles, PoseNumbers, Scene, Space, Starter, Version, Wanted } from './types';

/** What the server says when it does not do something: a sentence for the user. */
export class Refused extends Error {}

async function ask<T>(path: string, init?: RequestInit): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new Refused('The server cannot be reached: is it still running?');
  }
  if (!response.ok) {
    const body = (await response.json().catch(() => null)) as { message?: string } | null;
    throw new Refused(body?.message ?? `The server answered with an error (${response.status}).`);
  }
  return (response.status === 204 ? undefined : await response.json()) as T;
}

const post = <T>(path: string, body?: unknown) =>
  ask<T>(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: body === undefined ? undefined : JSON.stringify(body) });

const patch = (path: string, body: unknown) => ask<void>(path, { method: 'PATCH', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });

/** Small pictures take the server long: a few at a time, so that a browser's few connections are free for what is asked for now. */
const pictures = pLimit(2);

/** The address of a look at a hand-off with these settings. */
export function lookAddress(scene: string, wanted: Wanted): string {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(wanted)) if (value !== undefined && value !== null) query.set(name, String(value));
  return `/api/scenes/${scene}/handoff?${query.toString()}`;
}

export const api = {
  scenes: (search: string, after: string | null) => ask<Book>(`/api/scenes?${new URLSearchParams({ search, ...(after === null ? {} : { after }) }).toString()}`),
  nodes: () => ask<NodeSchema[]>('/api/nodes'),
  create: (name: string, space: Space) => post<{ id: string }>('/api/scenes', { name, space }),
  bringIn: (text: string) => ask<{ id: string }>('/api/scenes/bring-in', { method: 'POST', headers: { 'content-type': 'application/json' }, body: text }),
  rename: (id: string, name: string) => patch(`/api/scenes/${id}`, { name }),
  duplicate: (id: string) => post<{ id: string }>(`/api/scenes/${id}/duplicate`),
  remove: (id: string) => ask<void>(`/api/scenes/${id}`, { method: 'DELETE' }),
  restore: (id: string) => post<void>(`/api/scenes/${id}/restore`),
  miniature: (id: string, signal: AbortSignal) => pictures(() => ask<LivingMiniature>(`/api/scenes/${id}/miniature`, { signal })),
  keepFile: (media: string, file: Blob) => ask<Kept>('/api/assets', { method: 'POST', headers: { 'content-type': media }, body: file }),
  starters: () => ask<Starter[]>('/api/starters'),
  begin: (starter: string) => post<{ id: string }>(`/api/starters/${starter}`),
  rate: (document: Scene, fps: string, keep: Keep) => post<{ ops: Op[] }>('/api/rate', { document, fps, keep }),
  versions: (scene: string) => ask<Version[]>(`/api/scenes/${scene}/versions`),
  keepVersion: (scene: string, name: string) => post<Version>(`/api/scenes/${scene}/versions`, { name }),
  renameVersion: (scene: string, version: string, name: string) => patch(`/api/scenes/${scene}/versions/${version}`, { name }),
  removeVersion: (scene: string, version: string) => ask<void>(`/api/scenes/${scene}/versions/${version}`, { method: 'DELETE' }),
  restoreVersion: (scene: string, version: string) => post<void>(`/api/scenes/${scene}/versions/${version}/restore`),
  compareVersion: (scene: string, version: string) => ask<Comparison>(`/api/scenes/${scene}/versions/${version}/compare`),
  bake: (scene: string, wanted: { node: string; tolerance: number; angle: number }) => ask<Baked>(`/api/scenes/${scene}/bake?${new URLSearchParams(Object.entries(wanted).map(([name, value]) => [name, String(value)])).toString()}`),
  pose: (scene: string, at: { node: string; thing: number; frame: number; x: number; y: number; z: number }) => ask<PoseNumbers>(`/api/scenes/${scene}/pose?${new URLSearchParams(Object.entries(at).map(([name, value]) => [name, String(value)])).toString()}`),
  look: (scene: string, wanted: Wanted) => ask<Look>(lookAddress(scene, wanted)),
  files: () => ask<OrderedFiles>(`/api/files?${new URLSearchParams({ browser: browserName() }).toString()}`),
  orderFile: (scene: string, wanted: Wanted) => post<{ id: string }>(`/api/scenes/${scene}/files`, { wanted, browser: browserName() }),
  stopFile: (id: string) => post<void>(`/api/files/${id}/stop`),
  orderAgain: (id: string) => post<void>(`/api/files/${id}/again`),
  forgetFile: (id: string) => ask<void>(`/api/files/${id}`, { method: 'DELETE' }),
  fileReport: (id: string) => ask<FileReport>(`/api/files/${id}/report`),
};
