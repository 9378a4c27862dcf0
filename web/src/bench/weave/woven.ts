import type { Scene } from '../../api/types';
import { useScene } from '../../scene/store';
import { sameWeave } from './lay';

let last: Scene | null = null;

/** The scene as it was when something that the Weave shows last changed: the same one for as long as nothing does. */
function wovenOf(document: Scene | null): Scene | null {
  if (!document || !last || !sameWeave(document, last)) last = document;
  return last;
}

/** The scene, for what shows slips and threads: parameters, which change with every step of a drag, are nothing to them. */
export const useWoven = (): Scene | null => useScene((state) => wovenOf(state.document));
