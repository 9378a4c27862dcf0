/** Something that happened while the page was being measured. */
export interface Happening {
  /** `sent`: a preview or an edit left; `decoded`: a block is ready to be drawn; `picture`: one was drawn. */
  name: 'sent' | 'decoded' | 'picture';
  /** Milliseconds of the page's own clock. */
  at: number;
  /** Milliseconds it took, where it took some. */
  took: number;
  /** Number of the preview that it belongs to, or 0. */
  preview: number;
}

let log: Happening[] | null = null;

/** Notes what happens, while somebody measures; costs nothing otherwise. */
export function note(name: Happening['name'], begun: number, preview = 0): void {
  if (!log) return;
  const at = performance.now();
  log.push({ name, at, took: at - begun, preview });
}

/** Begins to measure. */
export function beginMeasuring(): void {
  log = [];
}

/** Ends measuring and gives what happened. */
export function endMeasuring(): Happening[] {
  const found = log ?? [];
  log = null;
  return found;
}
