import { createContext, useContext } from 'react';
import type { Live } from '../api/live';

export const LiveContext = createContext<Live | null>(null);

/** The live connection of the bench that this component is on. */
export function useLive(): Live {
  const live = useContext(LiveContext);
  if (!live) throw new Error('This component belongs on a bench.');
  return live;
}
