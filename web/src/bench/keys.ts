import { useEffect } from 'react';
import type { Live } from '../api/live';
import { clock } from '../scene/clock';
import { useScene } from '../scene/store';

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.getAttribute('role') === 'combobox');

/** True for things that do something of their own on the space bar. */
const isControl = (target: EventTarget | null): boolean => target instanceof HTMLElement && /^(BUTTON|A)$/.test(target.tagName) && !target.classList.contains('handle');

/** The keys that work anywhere on the bench. */
export function useKeys(live: Live): void {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.altKey && /^[1-5]$/.test(event.key)) {
        document.querySelector<HTMLElement>(`[data-digit="${event.key}"]`)?.focus();
        event.preventDefault();
        return;
      }
      if (isTyping(event.target)) return;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
        if (event.shiftKey) live.redo();
        else live.undo();
        event.preventDefault();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const steps = event.shiftKey ? 10 : 1;
      switch (event.key) {
        case ' ':
          if (isControl(event.target)) return;
          clock.toggle();
          break;
        case 'ArrowLeft':
        case 'ArrowRight':
          // A point or a slip that is held has arrows of its own.
          if (event.defaultPrevented || (event.target as HTMLElement).closest('.handle, .react-flow__node')) return;
          clock.step(event.key === 'ArrowLeft' ? -steps : steps);
          break;
        case 'Home':
          clock.stop();
          clock.seek(0);
          break;
        case 'Escape':
          useScene.setState({ seamOpen: false, drawing: false });
          return;
        default:
          return;
      }
      event.preventDefault();
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [live]);
}
