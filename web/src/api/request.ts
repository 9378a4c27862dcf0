import type { ToPage } from './types';

/** The status of what came too slowly: the same may be sent again. */
const TOO_SLOW = 408;
/** Megabytes beyond which the server keeps no edit. */
const LARGEST = 64;

/** What becomes of an edit. */
export type Kept = Extract<ToPage, { kind: 'edited' | 'refused' }>;

/** Sends an edit by a request; what is answered is what the live connection would say. */
export async function kept(path: string, edit: unknown): Promise<Kept> {
  const refused = (message: string, later: boolean): Kept => ({ kind: 'refused', sequence: null, message, later });
  const text = JSON.stringify(edit);
  if (text.length > LARGEST * 2 ** 20) return refused(`That is larger than ${LARGEST} MB: make it smaller.`, false);
  let response: Response;
  try {
    response = await fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: text });
  } catch {
    return refused('The server cannot be reached just now. What you change waits until it is back.', true);
  }
  const body = (await response.json().catch(() => null)) as Kept | { kind?: undefined; message?: string } | null;
  if (body?.kind) return body;
  return refused(body?.message ?? `The server answered with an error (${response.status}).`, response.status >= 500 || response.status === TOO_SLOW);
}
