import { useSyncExternalStore, type MouseEvent, type ReactNode } from 'react';

/** Where the page is. */
export type Route = { page: 'book' } | { page: 'bench' | 'handoff'; scene: string };

const listeners = new Set<() => void>();

function subscribe(listener: () => void): () => void {
  listeners.add(listener);
  window.addEventListener('popstate', listener);
  return () => {
    listeners.delete(listener);
    window.removeEventListener('popstate', listener);
  };
}

/** The route of an address. */
export function parse(path: string): Route {
  const found = /^\/(bench|handoff)\/([0-9a-f-]{36})$/.exec(path);
  return found ? { page: found[1] as 'bench' | 'handoff', scene: found[2] as string } : { page: 'book' };
}

export function useRoute(): Route {
  return parse(useSyncExternalStore(subscribe, () => window.location.pathname));
}

/** Goes to another page without loading it anew. */
export function go(path: string): void {
  window.history.pushState(null, '', path);
  for (const listener of listeners) listener();
}

/** A link within the application. */
export function Link(props: { to: string; className?: string; label?: string; children: ReactNode }) {
  const follow = (event: MouseEvent) => {
    if (event.metaKey || event.ctrlKey || event.shiftKey || event.button !== 0) return;
    event.preventDefault();
    go(props.to);
  };
  return (
    <a href={props.to} className={props.className} aria-label={props.label} onClick={follow}>
      {props.children}
    </a>
  );
}
