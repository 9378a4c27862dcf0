/** How long a page that is being reloaded may hold its name, in steps of 50 ms. */
const TRIES = 20;

const lockOf = (name: string) => `zickzack page ${name}`;

/** Takes the lock of a name for as long as the page lives; false when another page has it. */
function take(name: string): Promise<boolean> {
  const { locks } = navigator;
  if (!locks) return Promise.resolve(true);
  return new Promise((resolve) => {
    const held = locks.request(lockOf(name), { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      return lock ? new Promise(() => undefined) : undefined;
    });
    held.catch(() => resolve(true));
  });
}

let known: Promise<string> | null = null;

/**
 * Who this page is, over reloads. Another tab is somebody else, also one that was made as a copy of this one
 * and so begins with its memory.
 */
export function pageName(): Promise<string> {
  known ??= (async () => {
    const before = sessionStorage.getItem('client');
    for (let i = 0; before && i < TRIES; i += 1) {
      if (await take(before)) return before;
      await new Promise((resolve) => window.setTimeout(resolve, 50));
    }
    const name = crypto.randomUUID();
    sessionStorage.setItem('client', name);
    await take(name);
    return name;
  })();
  return known;
}

let browser: string | null = null;

/** Who this browser is to a server that keeps files for it, over restarts; where nothing may be kept, while the page is open. */
export function browserName(): string {
  if (browser === null) {
    try {
      browser = localStorage.getItem('browser') ?? crypto.randomUUID();
      localStorage.setItem('browser', browser);
    } catch {
      browser ??= crypto.randomUUID();
    }
  }
  return browser;
}

/** For tests: the next page is another one. */
export function forgetPage(): void {
  known = null;
}

/** True when a page of that name is open somewhere in this browser. */
export async function isOpen(name: string): Promise<boolean> {
  const held = (await navigator.locks?.query())?.held ?? [];
  return held.some((lock) => lock.name === lockOf(name));
}

/** Grows over reloads too, so that no number is ever used twice, whatever the clock does. */
export function nextSequence(): number {
  const sequence = Math.max(Number(sessionStorage.getItem('sequence') ?? 0) + 1, Date.now());
  sessionStorage.setItem('sequence', String(sequence));
  return sequence;
}
