// @vitest-environment jsdom
import { act } from 'react';
import { createRoot, type Root } from 'react-dom/client';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Choice } from './Choice';

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

const all = ['Ride', 'Ring', 'Retime', 'Ride'];
const [chosen, closed] = [vi.fn(), vi.fn()];
let root: Root;
let host: HTMLElement;

const input = () => host.querySelector('input')!;
const listed = () => [...host.querySelectorAll('[role=option]')].map((option) => option.textContent);
const marked = () => host.querySelector(`#${input().getAttribute('aria-activedescendant')}`)?.textContent;
const type = (text: string) =>
  act(() => {
    Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!.call(input(), text);
    input().dispatchEvent(new Event('input', { bubbles: true }));
  });
const press = (key: string) => act(() => void input().dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true })));

beforeEach(() => {
  vi.clearAllMocks();
  Element.prototype.scrollIntoView = () => undefined;
  host = document.body.appendChild(document.createElement('div'));
  root = createRoot(host);
  const fitting = (items: readonly string[], text: string) => items.filter((item) => item.toLowerCase().startsWith(text));
  act(() => root.render(<Choice id="x" label="Names" placeholder="type" all={all} fitting={fitting} nameOf={(item) => item} row={(item) => item} none="Nothing." onChoose={chosen} onClose={closed} />));
});

afterEach(() => {
  act(() => root.unmount());
  host.remove();
});

describe('choosing by typing', () => {
  it('lists what fits, marks the first, and takes what is marked', () => {
    expect(document.activeElement).toBe(input());
    expect(listed()).toEqual(all);
    type('ri');
    expect(listed()).toEqual(['Ride', 'Ring', 'Ride']);
    expect(marked()).toBe('Ride');
    press('ArrowDown');
    expect(marked()).toBe('Ring');
    press('Enter');
    expect(chosen.mock.calls).toEqual([['Ring']]);
  });

  it('marks the first again with each letter, and what a pointer moves over, but not what comes to lie under it', () => {
    press('ArrowDown');
    press('ArrowDown');
    type('re');
    expect(marked()).toBe('Retime');
    type('r');
    const third = host.querySelector('#x-option-2')!;
    act(() => void third.dispatchEvent(new MouseEvent('mouseover', { bubbles: true })));
    expect(marked()).toBe('Ride');
    act(() => void third.dispatchEvent(new MouseEvent('mousemove', { bubbles: true })));
    expect(marked()).toBe('Retime');
  });

  it('says that nothing fits, takes nothing then, and is left with Escape', () => {
    type('zz');
    expect(host.textContent).toBe('Nothing.');
    press('Enter');
    expect(chosen).not.toHaveBeenCalled();
    press('Escape');
    expect(closed).toHaveBeenCalledWith('escape');
  });
});
