import { useEffect } from 'react';
import { flushSync } from 'react-dom';
import type { Live } from '../api/live';
import type { NodeSchema } from '../api/types';
import { clock } from '../scene/clock';
import { giveKeys, keyAt, valueNow } from '../scene/giving';
import { keysOf } from '../scene/keyed';
import { say, selectKeys, useScene } from '../scene/store';
import { useSchemas } from './schemas';
import { show, useOverlay } from './overlays';
import { useSizes, type PanelName } from './sizes';

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName) || (target instanceof HTMLInputElement && !/^(checkbox|button|file)$/.test(target.type)) || target.getAttribute('role') === 'combobox');

/** True for things that do something of their own on the space bar. */
const isControl = (target: EventTarget | null): boolean => target instanceof HTMLElement && (/^(BUTTON|A|INPUT)$/.test(target.tagName) || target.getAttribute('role') === 'button') && !target.classList.contains('handle');

/** Fills the window with the panel that has the focus, or goes back to all of them. */
function fill(): void {
  const { full } = useSizes.getState();
  const area = document.activeElement?.closest<HTMLElement>('.panel')?.dataset['area'] as PanelName | undefined;
  useSizes.setState({ full: full ? null : (area ?? 'view') });
}

/** Hands a key to a panel that takes it when it has the focus; true where it did. */
function hand(event: KeyboardEvent, body: string): boolean {
  const panel = document.querySelector<HTMLElement>(body);
  if (!panel || (event.target instanceof Node && panel.contains(event.target))) return false;
  const { full } = useSizes.getState();
  const area = panel.closest<HTMLElement>('.panel')?.dataset['area'];
  if (full && full !== area) flushSync(() => useSizes.setState({ full: null }));
  panel.focus();
  return !panel.dispatchEvent(new KeyboardEvent('keydown', { key: event.key, shiftKey: event.shiftKey, bubbles: true, cancelable: true }));
}

/** Keys the selected number at the playhead; of a node of keys, the signal that it is. */
function keyNumber(live: Live, schemas: readonly NodeSchema[]): void {
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

/** The keys that work anywhere on the bench. */
export function useKeys(live: Live): void {
  const schemas = useSchemas();
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.altKey && /^[1-5]$/.test(event.key)) {
        const panel = document.querySelector<HTMLElement>(`[data-digit="${event.key}"]`);
        // The View and the Weave take letters on a part of their own.
        (panel?.querySelector<HTMLElement>('.view-body, .weave-body, .dial-body, .traces-body') ?? panel)?.focus();
        event.preventDefault();
        return;
      }
      const control = event.ctrlKey || event.metaKey;
      if (control && event.key.toLowerCase() === 'f') {
        show('find');
        event.preventDefault();
        return;
      }
      if (isTyping(event.target) || useOverlay.getState().open !== null) return;
      if (control && event.key.toLowerCase() === 'z') {
        if (event.shiftKey) live.redo();
        else live.undo();
        event.preventDefault();
        return;
      }
      if (control || event.altKey) return;
      // In an open menu or dialog letters choose among what it holds.
      if (event.key.length === 1 && event.target instanceof HTMLElement && event.target.closest('[role=menu], [role=listbox], [role=dialog]')) return;
      const steps = event.shiftKey ? 10 : 1;
      switch (event.key) {
        case ' ':
          if (event.repeat) break;
          if (event.defaultPrevented || isControl(event.target)) return;
          clock.toggle();
          break;
        case 'ArrowLeft':
        case 'ArrowRight':
          // A point, a slip or a border that is held has arrows of its own.
          if (event.defaultPrevented || (event.target as HTMLElement).closest('.handle, .react-flow__node, [role=separator], [role=menu], [role=listbox]')) return;
          clock.step(event.key === 'ArrowLeft' ? -steps : steps);
          break;
        case 'Home':
          clock.stop();
          clock.seek(0);
          break;
        case '\\':
          fill();
          break;
        case '?':
          show('help');
          break;
        case 'k':
        case 'K':
          keyNumber(live, schemas);
          break;
        case 'v':
        case 'V':
          // At once, so that what is typed next goes into the name.
          flushSync(() => useScene.setState({ aside: 'versions' }));
          document.querySelector<HTMLInputElement>('input[aria-label="Name of the version"]')?.focus();
          break;
        case '[':
        case ']': {
          const here = Math.floor(clock.frame);
          const range = clock.range;
          if (event.key === '[') clock.setRange({ from: here, to: Math.max(here + 1, range?.to ?? Infinity) });
          else clock.setRange({ from: Math.min(range?.from ?? 0, here), to: here + 1 });
          break;
        }
        case 'Escape': {
          const { drawing, picking, aside } = useScene.getState();
          if (drawing !== null || picking !== null) useScene.setState({ drawing: null, picking: null });
          else if (aside) useScene.setState({ aside: null });
          else useSizes.setState({ full: null });
          return;
        }
        case 'n':
        case 'N':
          if (event.defaultPrevented || !hand(event, '.weave-body')) return;
          break;
        case 'p':
        case 'P':
          if (event.defaultPrevented || !hand(event, '.view-body')) return;
          break;
        default:
          return;
      }
      event.preventDefault();
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [live, schemas]);
}
