import type { KeyTable, Pressed } from '../keyboard/table';
import type { Look } from './scene3d/eye';

export const looks: { look: Look; name: string }[] = [
  { look: 'top', name: 'Top' },
  { look: 'front', name: 'Front' },
  { look: 'side', name: 'Side' },
  { look: 'free', name: 'Free' },
  { look: 'camera', name: 'Camera' },
];

/** What keys do in the View. */
export interface OnView {
  /** False in a flat scene, which is seen from the front alone. */
  look: (look: Look) => boolean;
  fit: () => void;
  /** Begins a path, or ends it. */
  draw: () => void;
  /** False in a flat scene, which has one plane. */
  plane: () => boolean;
  /** False where no path is drawn with keys. */
  place: () => boolean;
  movePen: (event: Pressed) => boolean;
  end: () => boolean;
  close: () => boolean;
  kind: () => void;
  insert: () => void;
  divide: () => void;
  join: () => void;
  remove: () => void;
}

export const viewKeys: KeyTable<OnView> = {
  where: 'View',
  strokes: [
    { keys: ['P'], name: 'Draw a path', does: 'begins a path, or ends it', act: (view) => view.draw() },
    { keys: ['Space'], does: 'places a point while a path is drawn', act: (view) => view.place() },
    { keys: ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'PageUp', 'PageDown'], does: 'moves the pen while a path is drawn, with Shift further', act: (view, event) => view.movePen(event) },
    { keys: ['Enter'], does: 'ends the path that is drawn', act: (view) => view.end() },
    { keys: ['C'], does: 'closes the selected path', act: (view) => view.close() },
    { keys: ['S'], does: 'smooth or corner: the selected points, or the next one', act: (view) => view.kind() },
    { keys: ['I'], does: 'inserts a point after the chosen one, divides the path there', act: (view) => view.insert() },
    { keys: ['X'], does: 'inserts a point after the chosen one, divides the path there', act: (view) => view.divide() },
    { keys: ['J'], does: 'joins two paths', act: (view) => view.join() },
    { keys: ['Delete', 'Backspace'], does: 'removes the selected points', act: (view) => view.remove() },
    { keys: ['G'], name: 'Work plane', does: 'shows the work plane', act: (view) => view.plane() },
    { keys: ['F'], name: 'Show everything', does: 'shows everything', act: (view) => view.fit() },
    ...looks.map(({ look, name }, i) => ({ keys: [`${i + 1}`], name, does: 'looks from the top, the front, the side, freely, through the camera', act: (view: OnView) => view.look(look) })),
  ],
  ways: [
    ['click, pull while drawing', 'places a point, bends the path there'],
    ['double click on a path', 'puts a point there'],
    ['drag on nothing · right drag · wheel', 'turns · moves · goes nearer'],
    ['Ctrl drag on nothing', 'selects by a box'],
    ['Ctrl or Shift click', 'takes into the selection, or out of it'],
  ],
};
