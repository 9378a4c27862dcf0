import { create } from 'zustand';
import { persist } from 'zustand/middleware';

interface TraceSettings {
  /** For each node whose things were looked at: names of the channels that are drawn, in order. */
  chosen: Record<string, string[]>;
}

/** Nodes for which a choice is remembered. */
const MOST = 200;

export const useTraceSettings = create<TraceSettings>()(persist(() => ({ chosen: {} }), { name: 'traces', version: 1 }));

/** Drawn only when somebody asks for them. */
const ASKED_FOR = ['bank', 'twist'];
/** What is told of all things together begins so, and is drawn only when asked for as well. */
const OF_ALL = 'all: ';

/** Which channels are drawn, in order: those chosen that are there, or all but a few. */
export function shownChannels(names: readonly string[], chosen: readonly string[] | undefined): number[] {
  const found = (chosen ?? names.filter((name) => !ASKED_FOR.includes(name) && !name.startsWith(OF_ALL))).map((name) => names.indexOf(name)).filter((index) => index >= 0);
  return found.length > 0 ? found : names.map((_, index) => index);
}

/** Remembers a choice. */
export function choose(node: string, names: string[]): void {
  useTraceSettings.setState(({ chosen }) => {
    const kept = Object.entries(chosen).filter(([other]) => other !== node).slice(-MOST);
    return { chosen: Object.fromEntries([...kept, [node, names]]) };
  });
}

/** A channel taken in or out. */
export const toggled = (names: readonly string[], name: string): string[] => (names.includes(name) ? names.filter((other) => other !== name) : [...names, name]);

/** A channel one place further up or down. */
export function movedBy(names: readonly string[], name: string, by: number): string[] {
  const from = names.indexOf(name);
  const to = from + by;
  if (from < 0 || to < 0 || to >= names.length) return [...names];
  const next = names.filter((other) => other !== name);
  next.splice(to, 0, name);
  return next;
}

/** A stretch of frames that is seen. */
export interface Window {
  from: number;
  to: number;
}

/** A window made `factor` times as long about a frame, within all there is, no shorter than a frame. */
export function zoomed(window: Window, whole: Window, about: number, factor: number): Window {
  const long = Math.min(whole.to - whole.from, Math.max(1, (window.to - window.from) * factor));
  const share = (about - window.from) / (window.to - window.from);
  const from = Math.max(whole.from, Math.min(about - share * long, whole.to - long));
  return { from, to: from + long };
}

/** A window moved by so many frames, within all there is. */
export function shifted(window: Window, whole: Window, by: number): Window {
  const long = window.to - window.from;
  const from = Math.max(whole.from, Math.min(window.from + by, whole.to - long));
  return { from, to: from + long };
}
