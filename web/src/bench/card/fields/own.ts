import type { Scene } from '../../../api/types';

/** Numbers of the followers that there are, the lead left out: from and up to, the last not included; nothing where a formula, keys or a thread say how many. */
export function ranksOf(document: Scene, node: string): [number, number] | null {
  const params = document.nodes?.[node]?.params ?? {};
  const threaded = Object.values(document.threads ?? {}).some((thread) => thread.to === node && thread.port === 'followers');
  const count = params['followers'] ?? 8;
  if (threaded || typeof count !== 'number') return null;
  const first = params['lead'] === false ? 0 : 1;
  return [first, first + count];
}

/** What is listed of things with something of their own, in order: of followers each that is there; and how many have something of their own and are not there. */
export function listed<T extends { id: string }>(own: readonly T[], ranks: [number, number] | null, plain: (id: string) => T): { shown: T[]; absent: number } {
  const inOrder = (list: readonly T[]) => [...list].sort((a, b) => Number(a.id) - Number(b.id));
  if (!ranks) return { shown: inOrder(own), absent: 0 };
  const [from, to] = ranks;
  const there = own.filter(({ id }) => Number(id) >= from && Number(id) < to);
  const known = new Set(there.map(({ id }) => id));
  const rest = Array.from({ length: Math.max(0, to - from) }, (_, i) => String(from + i)).filter((id) => !known.has(id));
  return { shown: inOrder([...there, ...rest.map(plain)]), absent: own.length - there.length };
}
