import { eased, lengthened, lifted, withHandles, type Key } from '../../scene/keyed';

/** What can be done with selected keys; letters act while the Traces have the focus. */
export interface Command {
  title: string;
  letter: string;
  /** In the list of keys. */
  does: string;
  /** The keys after it, or a sentence that says why not. */
  act: (keys: readonly Key[], ids: readonly string[]) => Key[] | string;
  /** Works on the whole number, whatever is selected. */
  all?: boolean;
}

/** How much longer or shorter handles get at once. */
const LONGER = 1.25;

/** Sets a key at the playhead on the motion that keys were baked from; what that is only the server knows. */
export const AS_IT_WAS = 'Key as it was';

export const commands: Command[] = [
  { title: 'Ease', does: 'ease, ease in, ease out', letter: 'e', act: (keys, ids) => eased(keys, ids, 'both') },
  { title: 'Ease in', does: 'ease, ease in, ease out', letter: 'i', act: (keys, ids) => eased(keys, ids, 'before') },
  { title: 'Ease out', does: 'ease, ease in, ease out', letter: 'o', act: (keys, ids) => eased(keys, ids, 'after') },
  { title: 'Level', does: 'level, straight, joined, split, hold', letter: 'l', act: (keys, ids) => withHandles(keys, ids, 'flat') },
  { title: 'Straight', does: 'level, straight, joined, split, hold', letter: 't', act: (keys, ids) => withHandles(keys, ids, 'straight') },
  { title: 'Joined', does: 'level, straight, joined, split, hold', letter: 'j', act: (keys, ids) => withHandles(keys, ids, 'joined') },
  { title: 'Split', does: 'level, straight, joined, split, hold', letter: 's', act: (keys, ids) => withHandles(keys, ids, 'split') },
  { title: 'Hold', does: 'level, straight, joined, split, hold', letter: 'h', act: (keys, ids) => withHandles(keys, ids, 'held') },
  { title: 'Longer handles', does: 'longer, shorter handles', letter: '.', act: (keys, ids) => lengthened(keys, ids, LONGER) },
  { title: 'Shorter handles', does: 'longer, shorter handles', letter: ',', act: (keys, ids) => lengthened(keys, ids, 1 / LONGER) },
  { title: AS_IT_WAS, does: 'a key at the playhead on the motion that the keys were baked from', letter: 'w', act: (keys) => [...keys], all: true },
  {
    title: 'Lift slowest',
    does: 'lifts the slowest point',
    letter: 'u',
    all: true,
    act: (keys) => lifted(keys) ?? 'Its slowest point cannot be lifted: the values turn back, stay as they are, or hold.',
  },
];
