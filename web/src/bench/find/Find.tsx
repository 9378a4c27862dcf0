import { Dialog } from '@mui/material';
import { useMemo } from 'react';
import { go } from '../../route';
import { clock } from '../../scene/clock';
import { select, useScene } from '../../scene/store';
import { useMode } from '../../theme/mode';
import { Choice } from './Choice';
import { beginGuide } from '../guide/guide-state';
import { useLive } from '../live';
import { show, useOverlay } from '../overlays';
import { anywhere } from '../keyboard/anywhere';
import { keyOf } from '../keyboard/table';
import { viewKeys } from '../view/keys';
import { isShown, useSchemas } from '../schemas';
import { beginDrawing } from '../view/draw';
import { viewer } from '../view/viewer';

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
  return (
    <Choice
      id="find"
      label="Find"
      placeholder="find a node, a number, a command"
      all={all}
      fitting={foundHere}
      nameOf={({ name }) => name}
      row={({ name, what }) => (
        <>
          <strong>{name}</strong>
          <span className="soft">{what}</span>
        </>
      )}
      none="Nothing here is called that."
      onChoose={({ act }) => {
        show(null);
        act();
      }}
      // The dialog round it closes when something beside it is clicked.
      onClose={(why) => why === 'escape' && show(null)}
    />
  );
}

/** What all typed words fit; what is called so comes before what only speaks of it. */
function foundHere(all: readonly Found[], text: string): Found[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const named = ({ name }: Found) => words.every((word) => name.toLowerCase().includes(word));
  const hits = all.filter(({ name, what }) => words.every((word) => `${name} ${what}`.toLowerCase().includes(word)));
  return hits.sort((a, b) => Number(named(b)) - Number(named(a))).slice(0, MOST);
}
