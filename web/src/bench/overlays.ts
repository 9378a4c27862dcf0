import { create } from 'zustand';

/** What lies over the bench. */
export const useOverlay = create<{ open: 'find' | 'help' | null }>(() => ({ open: null }));

export const show = (open: 'find' | 'help' | null): void => useOverlay.setState({ open });
