import { flushSync } from 'react-dom';
import type { Live } from '../../api/live';
import type { NodeSchema } from '../../api/types';
import { clock } from '../../scene/clock';
import { giveKeys, keyAt, valueNow } from '../../scene/giving';
import { keysOf } from '../../scene/keyed';
import { say, selectKeys, useScene } from '../../scene/store';
import { show } from '../overlays';
import { useSizes, type PanelName } from '../sizes';
import type { KeyTable } from './table';

/** Fills the window with the panel that has the focus, or goes back to all of them. */
function fill(): void {
  const { full } = useSizes.getState();
  const area = document.activeElement?.closest<HTMLElement>('.panel')?.dataset['area'] as PanelName | undefined;
  useSizes.setState({ full: full ? null : (area ?? 'view') });
}

/** Hands a key to a panel that takes it when it has the focus; true where it did. */
function hand(event: KeyboardEvent, body: string): boolean {
  const panel = document.querySelector<HTMLElement>(body);
  if (event.defaultPrevented || !panel || (event.target instanceof Node && panel.contains(event.target))) return false;
  const { full } = useSizes.getState();
  const area = panel.closest<HTMLElement>('.panel')?.dataset['area'];
  if (full && full !== area) flushSync(() => useSizes.setState({ full: null }));
  panel.focus();
  return !panel.dispatchEvent(new KeyboardEvent('keydown', { key: event.key, shiftKey: event.shiftKey, bubbles: true, cancelable: true }));
}

/** Keys the selected number at the playhead; of a node of keys, the signal that it is. */
function keyNumber({ live, schemas }: OnBench): void {
  const { document, selected, number } = useScene.getState();
  const node = selected ? document?.nodes?.[selected] : undefined;
  const schema = schemas.find((schema) => schema.name === node?.type);
  const named = number ?? (node?.type === 'keys' && selected ? { node: selected, port: '' } : null);
  const param = schema?.params.find((param) => param.name === named?.port.split('.')[0]) ?? schema?.params.find((param) => param.values.kind === 'keys');
  if (!document || !node || !named || !param) {
    say('Select a number first: click it in the Card, then press K.');
    return;
  }
  if (node.locked) {
    say(`"${node.name}" is locked: unlock it first.`);
    return;
  }
  const frame = clock.here;
  if (keysOf(document, named)) {
    const { ops, id } = keyAt(document, named, frame);
    live.edit(`key ${param.label}`, ops);
    selectKeys(named.node, named.port, [id]);
  } else {
    live.edit(`give ${param.label} by keys`, giveKeys(document, named, param, frame, valueNow(document, named, param, useScene.getState().signals, frame)));
  }
}

/** At once, so that what is typed next goes into the name. */
function keepVersion(): void {
  flushSync(() => useScene.setState({ aside: 'versions' }));
  document.querySelector<HTMLInputElement>('input[aria-label="Name of the version"]')?.focus();
}

function focusPanel({ event }: OnBench): void {
  const panel = document.querySelector<HTMLElement>(`[data-digit="${event.key}"]`);
  // The View and the Weave take letters on a part of their own.
  (panel?.querySelector<HTMLElement>('.view-body, .weave-body, .dial-body, .traces-body') ?? panel)?.focus();
}

/** True for things that do something of their own on the space bar. */
const isControl = (target: EventTarget | null): boolean => target instanceof HTMLElement && (/^(BUTTON|A|INPUT)$/.test(target.tagName) || target.getAttribute('role') === 'button') && !target.classList.contains('handle');

function play({ event }: OnBench): boolean {
  if (event.repeat) return true;
  if (event.defaultPrevented || isControl(event.target)) return false;
  clock.toggle();
  return true;
}

function step({ event }: OnBench, by: number): boolean {
  // A point, a slip or a border that is held has arrows of its own.
  if (event.defaultPrevented || (event.target as HTMLElement).closest('.handle, .react-flow__node, [role=separator], [role=menu], [role=listbox]')) return false;
  clock.step(event.shiftKey ? 10 * by : by);
  return true;
}

function toSeam(): void {
  clock.stop();
  clock.seek(0);
}

function playFrom(): void {
  const here = Math.floor(clock.frame);
  clock.setRange({ from: here, to: Math.max(here + 1, clock.range?.to ?? Infinity) });
}

function playTo(): void {
  const here = Math.floor(clock.frame);
  clock.setRange({ from: Math.min(clock.range?.from ?? 0, here), to: here + 1 });
}

/** What is open may close itself on the same key. */
function leave(): boolean {
  const { drawing, picking, aside } = useScene.getState();
  if (drawing !== null || picking !== null) useScene.setState({ drawing: null, picking: null });
  else if (aside) useScene.setState({ aside: null });
  else useSizes.setState({ full: null });
  return false;
}

/** What keys act on that work anywhere. */
export interface OnBench {
  live: Live;
  schemas: readonly NodeSchema[];
  event: KeyboardEvent;
}

export const anywhere: KeyTable<OnBench> = {
  where: 'anywhere',
  strokes: [
    { keys: ['Space'], name: 'Play', does: 'plays and stops', act: play },
    { keys: ['ArrowLeft'], does: 'one frame back, one on; with Shift ten', act: (on) => step(on, -1) },
    { keys: ['ArrowRight'], does: 'one frame back, one on; with Shift ten', act: (on) => step(on, 1) },
    { keys: ['Home'], does: 'to the seam', act: toSeam },
    { keys: ['['], does: 'plays from here, to here', act: playFrom },
    { keys: [']'], does: 'plays from here, to here', act: playTo },
    { keys: ['Ctrl+Z'], name: 'Undo', does: 'takes back, does it again', act: ({ live }) => live.undo() },
    { keys: ['Ctrl+Shift+Z'], name: 'Redo', does: 'takes back, does it again', act: ({ live }) => live.redo() },
    { keys: ['Ctrl+F'], always: true, does: 'finds a node, a number, a command', act: () => show('find') },
    { keys: ['N'], does: 'adds a node, begins a path, wherever no text is edited', act: ({ event }) => hand(event, '.weave-body') },
    { keys: ['P'], does: 'adds a node, begins a path, wherever no text is edited', act: ({ event }) => hand(event, '.view-body') },
    { keys: ['K'], does: 'keys the selected number at the playhead', name: 'Key', act: keyNumber },
    { keys: ['V'], name: 'Versions', does: 'keeps a version', act: keepVersion },
    { keys: ['\\'], does: 'fills the window with the focused panel, and back', act: fill },
    { keys: ['Alt+1', 'Alt+2', 'Alt+3', 'Alt+4', 'Alt+5'], always: true, does: 'focus on Weave, View, Card, Dial, Traces', act: focusPanel },
    { keys: ['Escape'], does: 'ends drawing or picking, closes what stands in the Card, shows all panels', act: leave },
    { keys: ['?'], name: 'All keys and words', does: 'all keys and words', act: () => show('help') },
  ],
  ways: [['drag, arrows, double click on a border between panels', 'moves it, puts it back']],
};
