import { Dialog } from '@mui/material';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { go } from '../route';
import { clock } from '../scene/clock';
import { select, useScene } from '../scene/store';
import { useMode } from '../theme/mode';
import { beginGuide } from './guide/guide-state';
import { useLive } from './live';
import { show, useOverlay } from './overlays';
import { anywhere } from './keyboard/anywhere';
import { keyOf } from './keyboard/table';
import { viewKeys } from './view/keys';
import { isShown, useSchemas } from './schemas';
import { beginDrawing } from './view/draw';
import { viewer } from './view/viewer';

interface Found {
  name: string;
  what: string;
  act: () => void;
}

/** Most hits that are listed. */
const MOST = 40;

/** Finds nodes, their numbers, and commands. */
export function Find() {
  const open = useOverlay((state) => state.open === 'find');
  return (
    <Dialog open={open} onClose={() => show(null)} transitionDuration={0} aria-label="Find" slotProps={{ paper: { className: 'find' } }}>
      {open && <Finder />}
    </Dialog>
  );
}

function Finder() {
  const document = useScene((state) => state.document);
  const schemas = useSchemas();
  const live = useLive();
  const [text, setText] = useState('');
  const [marked, setMarked] = useState(0);
  const all = useMemo<Found[]>(() => {
    const found: Found[] = [];
    for (const [id, node] of Object.entries(document?.nodes ?? {})) {
      const schema = schemas.find((schema) => schema.name === node.type);
      found.push({ name: node.name, what: schema?.title ?? node.type, act: () => select(id) });
      for (const param of schema?.params ?? []) {
        if (!document || !schema || !isShown(document, id, schema, param)) continue;
        const focus = () => {
          select(id);
          window.requestAnimationFrame(() => window.requestAnimationFrame(() => window.document.querySelector<HTMLElement>(`.card [aria-label^="${param.label}"]:not([role=button])`)?.focus()));
        };
        found.push({ name: `${node.name} · ${param.label}`, what: param.help, act: focus });
      }
    }
    const command = (name: string, what: string, act: () => void) => found.push({ name, what, act });
    command('Draw a path', keyOf(viewKeys, 'Draw a path'), beginDrawing);
    command('Show everything', `${keyOf(viewKeys, 'Show everything')} in the View`, () => viewer.stage?.fit());
    command('Play', keyOf(anywhere, 'Play'), () => clock.toggle());
    command('Undo', keyOf(anywhere, 'Undo'), () => live.undo());
    command('Redo', keyOf(anywhere, 'Redo'), () => live.redo());
    command('Versions', keyOf(anywhere, 'Versions'), () => useScene.setState({ aside: 'versions' }));
    command('Seam', 'the report on the loop point', () => useScene.setState({ aside: 'seam' }));
    command('Scene', 'loop length, rate, picture, camera', () => select(null));
    command('Guided start', 'from nothing to a loop', beginGuide);
    command('All keys and words', keyOf(anywhere, 'All keys and words'), () => show('help'));
    command('Pattern book', 'all scenes', () => go('/'));
    command('Light or dark paper', '', () => useMode.getState().toggle());
    return found;
  }, [document, schemas, live]);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const hits = all.filter(({ name, what }) => words.every((word) => `${name} ${what}`.toLowerCase().includes(word)));
  // What is called so comes before what only speaks of it.
  const sorted = [...hits].sort((a, b) => Number(words.every((w) => b.name.toLowerCase().includes(w))) - Number(words.every((w) => a.name.toLowerCase().includes(w)))).slice(0, MOST);
  const at = Math.min(marked, Math.max(0, sorted.length - 1));
  const act = (found: Found | undefined) => {
    if (!found) return;
    show(null);
    found.act();
  };
  const press = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setMarked(Math.min(sorted.length - 1, at + 1));
    else if (event.key === 'ArrowUp') setMarked(Math.max(0, at - 1));
    else if (event.key === 'Enter') act(sorted[at]);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <input
        className="find-input"
        autoFocus
        value={text}
        placeholder="find a node, a number, a command"
        aria-label="Find"
        role="combobox"
        aria-expanded="true"
        aria-controls="find-list"
        aria-activedescendant={`find-${at}`}
        onChange={(event) => {
          setText(event.target.value);
          setMarked(0);
        }}
        onKeyDown={press}
      />
      <ul id="find-list" role="listbox" aria-label="Found" className="find-list">
        {sorted.map((found, i) => (
          <li key={`${found.name} ${i}`} id={`find-${i}`} role="option" aria-selected={i === at} onClick={() => act(found)} onPointerMove={() => setMarked(i)} ref={(element) => (i === at ? element?.scrollIntoView({ block: 'nearest' }) : undefined)}>
            <strong>{found.name}</strong>
            <span className="soft">{found.what}</span>
          </li>
        ))}
        {sorted.length === 0 && <li className="soft none">Nothing here is called that.</li>}
      </ul>
    </>
  );
}
