/** The part of a keyboard event that says what was pressed. */
export interface Pressed {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  shiftKey: boolean;
}

/** What keys do for what they act on: they are listened to, shown and documented by this alone. */
export interface Stroke<C> {
  /** Each does the same in its way: `P`, `ArrowLeft`, `Ctrl+Shift+Z`. With Shift a key does what it does without, where it does nothing of its own. */
  keys: readonly string[];
  /** In a line of the list of keys; strokes beside each other of which the same is said share one. */
  does: string;
  /** Its command, where a button does the same or it can be found by typing. */
  name?: string;
  /** Acts also while text is edited. */
  always?: boolean;
  /** False where it is nothing to it just now: then the key goes on to whoever is next. */
  act: (on: C, event: Pressed) => boolean | void;
}

/** What a pointer does, or keys of a part that listens for itself: how, and what. */
export type Way = readonly [how: string, does: string];

/** Everything that can be done with keys and pointer at one place. */
export interface KeyTable<C> {
  where: string;
  strokes: readonly Stroke<C>[];
  ways: readonly Way[];
}

/** Letters in capitals, the space bar by name, with what is held. */
export function chordOf({ key, ctrlKey, metaKey, altKey, shiftKey }: Pressed): string {
  const named = key === ' ' ? 'Space' : key.length === 1 ? key.toUpperCase() : key;
  return [(ctrlKey || metaKey) && 'Ctrl', altKey && 'Alt', shiftKey && 'Shift', named].filter(Boolean).join('+');
}

/** Lets a key do what it does; false where it does nothing there. */
export function pressed<C>(strokes: readonly Stroke<C>[], event: Pressed, on: C): boolean {
  const chord = chordOf(event);
  return [...new Set([chord, chord.replace('Shift+', '')])].some((wanted) => strokes.some((stroke) => stroke.keys.includes(wanted) && stroke.act(on, event) !== false));
}

const signs: Record<string, string> = { ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑', ArrowDown: '↓', PageUp: 'PgUp', PageDown: 'PgDn', Escape: 'Esc' };

/** A key as it is shown: `Ctrl Shift Z`, `←`. */
export const shown = (chord: string): string => (chord === '+' ? chord : chord.split(/\+(?=.)/).map((part) => signs[part] ?? part).join(' '));

/** The key of a command; empty where it has none. */
export const keyOf = <C>(table: KeyTable<C>, name: string): string => shown(table.strokes.find((stroke) => stroke.name === name)?.keys[0] ?? '');

/** What is said of a button, with the key of its command: *Tidy · Y*. */
export const withKey = <C>(table: KeyTable<C>, name: string, says = name): string => [says, keyOf(table, name)].filter(Boolean).join(' · ');

/** Several keys: digits by the first and the last of them, signs without commas between. */
function together(keys: readonly string[]): string {
  const all = keys.map(shown);
  if (keys.length > 3 && keys.every((key) => /\d$/.test(key))) return `${all[0]} … ${all.at(-1)}`;
  return all.join(all.every((key) => /^[^\w←→↑↓]$/.test(key)) ? ' ' : ', ');
}

/** Every line of a table: keys or way, and what they do. */
export function linesOf<C>({ strokes, ways }: KeyTable<C>): Way[] {
  const lines: { keys: string[]; does: string }[] = [];
  for (const { keys, does } of strokes) {
    const last = lines.at(-1);
    if (last?.does === does) last.keys.push(...keys);
    else lines.push({ keys: [...keys], does });
  }
  return [...lines.map(({ keys, does }): Way => [together(keys), does]), ...ways];
}
