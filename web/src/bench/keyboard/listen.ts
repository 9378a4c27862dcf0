import { useEffect } from 'react';
import type { Live } from '../../api/live';
import { anywhere } from './anywhere';
import { pressed } from './table';
import { useOverlay } from '../overlays';
import { useSchemas } from '../schemas';

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName) || (target instanceof HTMLInputElement && !/^(checkbox|button|file)$/.test(target.type)) || target.getAttribute('role') === 'combobox');

/** In an open menu or dialog letters choose among what it holds. */
const chooses = (event: KeyboardEvent): boolean =>
  !event.ctrlKey && !event.metaKey && event.key.length === 1 && event.target instanceof HTMLElement && event.target.closest('[role=menu], [role=listbox], [role=dialog]') !== null;

/** Listens for the keys that work anywhere on the bench. */
export function useKeys(live: Live): void {
  const schemas = useSchemas();
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const busy = isTyping(event.target) || useOverlay.getState().open !== null || chooses(event);
      const strokes = busy ? anywhere.strokes.filter((stroke) => stroke.always) : anywhere.strokes;
      if (pressed(strokes, event, { live, schemas, event })) event.preventDefault();
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [live, schemas]);
}
