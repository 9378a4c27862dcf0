/** Every key of the interface, as docs/words.md lists them. */
export const keyTable: { where: string; keys: [string, string][] }[] = [
  {
    where: 'Anywhere',
    keys: [
      ['Space', 'plays and stops'],
      ['← →, with Shift', 'one frame, ten frames'],
      ['Home', 'to the seam'],
      ['[ and ]', 'plays from here, plays to here'],
      ['Ctrl Z, Ctrl Shift Z', 'undo, redo'],
      ['Ctrl F', 'finds a node, a number, a command'],
      ['K', 'keys the selected number'],
      ['V', 'keeps a version'],
      ['\\', 'fills the window with the focused panel'],
      ['Alt 1 … Alt 5', 'focus on Weave, View, Card, Dial, Traces'],
      ['Esc', 'ends drawing, closes what stands in the Card'],
      ['?', 'this page'],
    ],
  },
  {
    where: 'View',
    keys: [
      ['P, Enter, C', 'begins, ends, closes a path'],
      ['click, pull', 'places a point, bends the path there'],
      ['arrows, Space while drawing', 'moves the pen, places a point'],
      ['S', 'smooth or corner'],
      ['I, X, J', 'inserts a point, divides, joins two paths'],
      ['double click on a path', 'puts a point there'],
      ['Delete', 'removes the selected points'],
      ['Ctrl drag on nothing', 'selects by a box'],
      ['Ctrl or Shift click', 'takes into the selection'],
      ['G', 'shows the work plane'],
      ['F', 'shows everything'],
      ['1 2 3 4 5', 'top, front, side, free, camera'],
      ['drag · right drag · wheel', 'turns · moves · goes nearer'],
    ],
  },
  {
    where: 'What is dragged',
    keys: [
      ['Shift', 'straight, at 45°, turns by 15°'],
      ['Alt', 'across the work plane; breaks a handle'],
      ['Ctrl', 'lets it go freely'],
      ['arrows, PgUp PgDn, with Shift', 'nudges it, further'],
    ],
  },
  {
    where: 'Weave',
    keys: [
      ['N', 'adds a node by typing'],
      ['Y', 'tidies'],
      ['B, H, O, L', 'bypass, hide, solo, lock'],
      ['Ctrl C, Ctrl X, Ctrl V', 'copies, cuts, pastes, also into another scene'],
      ['Ctrl D', 'duplicates'],
      ['Ctrl G', 'groups, or opens a group up'],
      ['Ctrl A', 'selects all'],
      ['Delete', 'removes'],
    ],
  },
  {
    where: 'A number',
    keys: [
      ['drag, with Shift, Ctrl', 'changes it, faster, finer'],
      ['↑ ↓, with Shift, Ctrl', 'steps'],
      ['typing', 'arithmetic, brackets, units'],
      ['double click on its name', 'back to the default'],
    ],
  },
  {
    where: 'Keys in Traces',
    keys: [
      ['double click', 'sets a key'],
      ['click, Shift, Ctrl drag', 'selects keys'],
      ['drag a key, with Shift, Alt', 'moves it; one way; between frames'],
      ['drag the ribbon', 'sets the pace'],
      ['PgUp PgDn', 'to the key before, to the next'],
      ['E, I, O', 'ease, ease in, ease out'],
      ['L, T, J, S, H', 'level, straight, joined, split, hold'],
      ['. and ,', 'longer, shorter handles'],
      ['U', 'lifts the slowest point'],
      ['Ctrl C, Ctrl V, Delete', 'copies, pastes, removes'],
    ],
  },
  {
    where: 'Dial and Traces',
    keys: [
      ['drag a tick, with Shift, Alt', 'one thing, all, all in order'],
      ['arrows on a tick', 'shifts it'],
      ['drag the rim mark', 'loop length'],
      ['wheel, double click on a trace', 'goes nearer, fits'],
    ],
  },
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
