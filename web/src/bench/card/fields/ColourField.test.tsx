// @vitest-environment jsdom
import { act } from 'react';
import { createRoot } from 'react-dom/client';
import { expect, it, vi } from 'vitest';
import { ColourField } from './ColourField';

it('keeps a colour as soon as the chooser is closed, and none that is only passed over', async () => {
  (globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;
  const host = document.body.appendChild(document.createElement('div'));
  const keep = vi.fn();
  await act(async () => createRoot(host).render(<ColourField label="dye" value="#c8421a" onKeep={keep} />));
  const input = host.querySelector('input') as HTMLInputElement;
  input.value = '#102030';
  input.dispatchEvent(new Event('input', { bubbles: true }));
  expect(keep).not.toHaveBeenCalled();
  input.value = '#405060';
  input.dispatchEvent(new Event('change', { bubbles: true }));
  expect(keep.mock.calls).toEqual([['#405060']]);
});
