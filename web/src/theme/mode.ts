import { create } from 'zustand';
import type { Mode } from './tokens';

interface State {
  mode: Mode;
  toggle: () => void;
}

const kept = localStorage.getItem('mode');

/** Light or dark paper, remembered by the browser. */
export const useMode = create<State>((set) => ({
  mode: kept === 'dark' ? 'dark' : 'light',
  toggle: () =>
    set((state) => {
      const mode = state.mode === 'dark' ? 'light' : 'dark';
      localStorage.setItem('mode', mode);
      return { mode };
    }),
}));
