import type { Mark } from '../card/marks';
import type { KeyTable, Stroke } from '../keyboard/table';

/** What keys do in the Weave; each is nothing to it where nothing is selected that it could act on. */
export interface OnWeave {
  add: () => void;
  tidy: () => void;
  mark: (mark: Mark) => boolean;
  duplicate: () => boolean;
  group: () => boolean;
  selectAll: () => void;
  remove: () => void;
}

const mark = (key: string, name: string, field: Mark): Stroke<OnWeave> => ({ keys: [key], name, does: 'bypasses, hides, shows alone, locks, or no more', act: (weave) => weave.mark(field) });

export const weaveKeys: KeyTable<OnWeave> = {
  where: 'Weave',
  strokes: [
    { keys: ['N'], name: 'Add a node', does: 'adds a node by typing', act: (weave) => weave.add() },
    { keys: ['Y'], name: 'Tidy', does: 'tidies', act: (weave) => weave.tidy() },
    mark('B', 'Bypass', 'bypassed'),
    mark('H', 'Hide', 'hidden'),
    mark('O', 'Solo', 'solo'),
    mark('L', 'Lock', 'locked'),
    { keys: ['Ctrl+D'], does: 'duplicates', act: (weave) => weave.duplicate() },
    { keys: ['Ctrl+G'], does: 'groups, or takes a group apart', act: (weave) => weave.group() },
    { keys: ['Ctrl+A'], does: 'selects all', act: (weave) => weave.selectAll() },
    { keys: ['Delete', 'Backspace'], does: 'removes the chosen slips or thread', act: (weave) => weave.remove() },
  ],
  ways: [
    ['Ctrl C, Ctrl X, Ctrl V', 'copies, cuts, pastes, also into another scene'],
    ['a slip dropped on a thread', 'is put in between'],
    ['a thread pulled into the open', 'is offered what takes it up'],
    ['a signal pulled to the left of a slip', 'drives a number of it'],
  ],
};
