import { create } from 'zustand';

/** The guided start: which step is shown, if any. */
export const useGuide = create<{ step: number | null }>(() => ({ step: null }));

export const beginGuide = (): void => useGuide.setState({ step: 0 });
export const endGuide = (): void => useGuide.setState({ step: null });
