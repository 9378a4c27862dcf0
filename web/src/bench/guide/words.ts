import { anywhere } from '../keyboard/anywhere';
import { linesOf, type Way } from '../keyboard/table';
import { tracesKeys } from '../traces/keys';
import { viewKeys } from '../view/keys';
import { weaveKeys } from '../weave/keys';

/** Every key and what a pointer does beside them, as help and docs/words.md list them. */
export const keyTable: { where: string; lines: readonly Way[] }[] = [
  { where: anywhere.where, lines: linesOf(anywhere) },
  { where: viewKeys.where, lines: linesOf(viewKeys) },
  {
    where: 'what is dragged',
    lines: [
      ['Shift', 'straight or at 45°; turns and aims by 15°, scales by tenths'],
      ['Alt', 'across the work plane; breaks a handle'],
      ['Ctrl', 'is not caught'],
    ],
  },
  {
    where: 'a point, tip or handle with the focus',
    lines: [
      ['Enter', 'takes it into the selection'],
      ['arrows, PgUp, PgDn, with Shift', 'nudges it (further) along and across the work plane'],
    ],
  },
  { where: weaveKeys.where, lines: linesOf(weaveKeys) },
  {
    where: 'a number',
    lines: [
      ['drag, with Shift, with Ctrl', 'changes it, ten times faster, finer'],
      ['↑, ↓, with Shift, with Ctrl', 'steps'],
      ['typing', 'arithmetic, brackets, units; a formula takes the number’s place where one may stand'],
      ['double click, or Delete, on its name', 'back to the default'],
      ['Enter', 'takes what was typed; of a number with keys it sets a key also where nothing was typed'],
      ['Esc', 'forgets what was typed'],
    ],
  },
  {
    where: 'Dial',
    lines: [
      ['drag a tick, with Shift, with Alt', 'shifts one thing, all, all in order (the first stays, the others in proportion)'],
      ['←, → on a tick, with Shift, with Alt', 'the same in steps'],
      ['↑, ↓ on a tick', 'to the next thing'],
      ['drag the mark over the rim, arrows on it', 'loop length; once round is half as long again'],
    ],
  },
  { where: tracesKeys.where, lines: linesOf(tracesKeys) },
  { where: 'Pattern book', lines: [['Ctrl F', 'finds a scene']] },
];

/** What our own words mean. */
export const wordTable: [string, string][] = [
  ['Weave', 'the node graph; nodes are slips, threads join them'],
  ['View', 'the picture in space'],
  ['Card', 'the numbers of what is selected'],
  ['Dial', 'the loop as a circle; twelve o’clock is the seam'],
  ['Traces', 'channels over time, their pace as a ribbon below'],
  ['Seam', 'how far the end of the loop misses its beginning'],
  ['Hand-off', 'keys and files'],
  ['signal', 'a value at every frame that drives numbers'],
  ['thing', 'what travels'],
  ['picture edge', 'the border of the picture'],
  ['work plane', 'the plane that is drawn and moved on'],
  ['version', 'a state of the scene that was kept under a name'],
];
