import type { KeyTable, Pressed } from '../keyboard/table';
import { commands, type Command } from './commands';

/** What keys do in the Traces: with keys of a number, if there are any. */
export interface OnTraces {
  nearer: () => void;
  farther: () => void;
  fit: () => void;
  /** To the key before or after the playhead. */
  beside: (step: 1 | -1) => void;
  /** False where no number has keys. */
  selectAll: () => boolean;
  /** False where no key is selected; so of the others. */
  remove: () => boolean;
  move: (event: Pressed) => boolean;
  command: (command: Command) => boolean;
}

export const tracesKeys: KeyTable<OnTraces> = {
  where: 'Traces',
  strokes: [
    { keys: ['+', '='], does: 'nearer, farther', act: (traces) => traces.nearer() },
    { keys: ['-'], does: 'nearer, farther', act: (traces) => traces.farther() },
    { keys: ['F'], does: 'shows everything', act: (traces) => traces.fit() },
    { keys: ['PageUp'], does: 'to the key before, to the next', act: (traces) => traces.beside(-1) },
    { keys: ['PageDown'], does: 'to the key before, to the next', act: (traces) => traces.beside(1) },
    { keys: ['Ctrl+A'], does: 'selects all keys of the number', act: (traces) => traces.selectAll() },
    { keys: ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown'], does: 'moves the selected keys by a frame, with Shift ten; up and down', act: (traces, event) => traces.move(event) },
    { keys: ['Delete', 'Backspace'], does: 'removes the selected keys', act: (traces) => traces.remove() },
    ...commands.map((command) => ({ keys: [command.letter.toUpperCase()], name: command.title, does: command.does, act: (traces: OnTraces) => traces.command(command) })),
  ],
  ways: [
    ['wheel · Shift wheel · double click', 'nearer, farther · along · shows everything'],
    ['click a key, with Shift · Ctrl drag', 'selects it, also · selects by a box'],
    ['drag a key, with Shift, with Alt', 'moves what is selected in whole frames; only in frames or only in value; also between frames'],
    ['drag the end of a handle, with Alt', 'turns both handles, or this one alone'],
    ['drag an end of the bar over keys', 'stretches them in time'],
    ['drag the ribbon of a number’s pace', 'sets the pace there; what is covered stays'],
    ['double click on a number', 'sets a key there'],
    ['Ctrl C, Ctrl V', 'copies keys, puts them in at the playhead'],
  ],
};
