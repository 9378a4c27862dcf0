import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export type PanelName = 'weave' | 'view' | 'card' | 'dial' | 'traces';

/** How large the panels are, px; remembered by the browser. */
export interface Sizes {
  weave: number;
  card: number;
  low: number;
  dial: number;
  /** The panel that fills the window. */
  full: PanelName | null;
}

/** The least that a panel can be worked with, and the least that is left for the View. */
export const least = { weave: 220, card: 240, low: 130, dial: 170, view: 260 };
const narrow: Sizes = { weave: 340, card: 288, low: 200, dial: 200, full: null };
const wide: Sizes = { weave: 430, card: 360, low: 290, dial: 290, full: null };
/** What a window begins with; a large one has room for larger panels. */
export const usual: Sizes = window.innerWidth >= 1800 && window.innerHeight >= 1000 ? wide : narrow;

export const useSizes = create<Sizes>()(persist(() => usual, { name: 'sizes', version: 1 }));

/** A size within what the window allows. */
export function fitted(name: 'weave' | 'card' | 'low' | 'dial', wished: number, sizes: Sizes, window: { width: number; height: number }): number {
  const most = {
    weave: window.width - sizes.card - least.view,
    card: window.width - sizes.weave - least.view,
    low: window.height - 48 - least.view,
    dial: window.width - 400,
  }[name];
  return Math.round(Math.max(least[name], Math.min(wished, most)));
}
