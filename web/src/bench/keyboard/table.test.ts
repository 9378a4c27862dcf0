// @vitest-environment jsdom
import { describe, expect, it, vi } from 'vitest';
import page from '../../../../docs/words.md?raw';
import { tracesKeys } from '../traces/keys';
import { looks, viewKeys } from '../view/keys';
import { weaveKeys } from '../weave/keys';
import { marks } from '../card/marks';
import { keyTable } from '../guide/words';
import { anywhere } from './anywhere';
import { keyOf, pressed, shown, withKey, type Pressed, type Stroke } from './table';

const tables = [anywhere, viewKeys, weaveKeys, tracesKeys];

/** A chord as it arrives: `Ctrl+Shift+z`. */
function event(chord: string): Pressed {
  const parts = chord.split(/\+(?=.)/);
  const key = parts.at(-1) ?? '';
  return { key: key === 'Space' ? ' ' : key, ctrlKey: parts.includes('Ctrl'), metaKey: parts.includes('Meta'), altKey: parts.includes('Alt'), shiftKey: parts.includes('Shift') };
}

const strokes = (takes: Record<string, boolean | void>): [Stroke<string[]>[], string[]] => [
  Object.entries(takes).map(([key, taken]) => ({
    keys: key.split(' '),
    does: key,
    act: (done) => {
      done.push(key);
      return taken;
    },
  })),
  [],
];

describe('a key that is pressed', () => {
  it('does what it stands for, in capitals or not, with the command key as with Ctrl', () => {
    const [table, done] = strokes({ N: undefined, 'Ctrl+Z': undefined, Space: undefined, 'Delete Backspace': true });
    for (const chord of ['n', 'N', 'Ctrl+z', 'Meta+z', 'Space', 'Backspace']) expect(pressed(table, event(chord), done)).toBe(true);
    expect(done).toEqual(['N', 'N', 'Ctrl+Z', 'Ctrl+Z', 'Space', 'Delete Backspace']);
  });

  it('does with Shift what it does without, where it does nothing of its own', () => {
    const [table, done] = strokes({ 'Ctrl+Z': undefined, 'Ctrl+Shift+Z': undefined, ArrowLeft: undefined, '?': undefined });
    for (const chord of ['Ctrl+Shift+Z', 'Shift+ArrowLeft', 'Shift+?']) expect(pressed(table, event(chord), done)).toBe(true);
    expect(done).toEqual(['Ctrl+Shift+Z', 'ArrowLeft', '?']);
  });

  it('goes on to whoever is next where it is nothing here, or other keys are held', () => {
    const [table, done] = strokes({ C: false, 'Ctrl+D': undefined });
    for (const chord of ['c', 'Ctrl+c', 'Alt+c', 'd', 'Ctrl+Alt+d']) expect(pressed(table, event(chord), done)).toBe(false);
    expect(done).toEqual(['C']);
  });
});

describe('the tables of keys', () => {
  it('say one thing of one key', () => {
    for (const { where, strokes } of tables) {
      const keys = strokes.flatMap((stroke) => stroke.keys);
      expect(keys, where).toEqual([...new Set(keys)]);
      const names = strokes.flatMap((stroke) => stroke.name ?? []);
      expect(names, where).toEqual([...new Set(names)]);
    }
  });

  it('can be pressed as they are written', () => {
    for (const { strokes } of tables) {
      for (const stroke of strokes) {
        for (const chord of stroke.keys) {
          const act = vi.fn();
          expect(pressed([{ ...stroke, act }], event(chord), undefined as never), chord).toBe(true);
          expect(act).toHaveBeenCalledOnce();
        }
      }
    }
  });

  it('give buttons their keys', () => {
    expect(withKey(weaveKeys, 'Tidy')).toBe('Tidy · Y');
    expect(withKey(anywhere, 'Redo', 'Redo: move slips')).toBe('Redo: move slips · Ctrl Shift Z');
    expect(keyOf(viewKeys, 'nothing')).toBe('');
    // A name that no stroke has would leave its button without a key, and nobody would see it.
    for (const { title } of marks) expect(keyOf(weaveKeys, title), title).not.toBe('');
    for (const name of ['Add a node', 'Tidy']) expect(keyOf(weaveKeys, name), name).not.toBe('');
    for (const name of ['Draw a path', 'Work plane', 'Show everything', ...looks.map((look) => look.name)]) expect(keyOf(viewKeys, name), name).not.toBe('');
    for (const name of ['Play', 'Undo', 'Redo', 'Versions', 'Key', 'All keys and words']) expect(keyOf(anywhere, name), name).not.toBe('');
    expect(['+', 'ArrowLeft', 'Alt+1', '\\'].map(shown)).toEqual(['+', '←', 'Alt 1', '\\']);
  });

  it('are what docs/words.md says of keys', () => {
    const rows = keyTable.flatMap(({ where, lines }) => lines.map(([how, does], i) => `| ${i === 0 ? where : ''} | ${how.replaceAll('\\', '\\\\')} | ${does} |`));
    const section = page.slice(page.indexOf('\n## Keys\n'), page.indexOf('\n## Marks\n'));
    expect(section).toBe(`\n## Keys\n\n| where | key, or way | does |\n|---|---|---|\n${rows.join('\n')}\n`);
  });
});
