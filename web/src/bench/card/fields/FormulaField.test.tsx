// @vitest-environment jsdom
import { act } from 'react';
import { createRoot, type Root } from 'react-dom/client';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { FormulaField, isFormula, marked } from './FormulaField';

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

let root: Root;
let host: HTMLElement;
const onKeep = vi.fn();

beforeEach(() => {
  onKeep.mockReset();
  host = document.createElement('div');
  document.body.append(host);
  root = createRoot(host);
});

afterEach(() => {
  act(() => root.unmount());
  host.remove();
});

function show(props: Partial<Parameters<typeof FormulaField>[0]> = {}): HTMLInputElement {
  act(() => root.render(<FormulaField label="start" text="loop" onKeep={onKeep} {...props} />));
  return host.querySelector('input')!;
}

function type(field: HTMLInputElement, text: string): void {
  act(() => {
    field.focus();
    Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(field, text);
    field.dispatchEvent(new Event('input', { bubbles: true }));
  });
}

const press = (field: HTMLInputElement, key: string) => act(() => void field.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true })));

describe('a formula', () => {
  it('is marked where it is wrong, also behind letters of two halves', () => {
    expect(marked('sin(🎈) + x', { at: 9, length: 1 })).toEqual(['sin(🎈) + ', 'x', '']);
    expect(marked('1 +', { at: 3, length: 1 })).toEqual(['1 +', '␣', '']);
  });

  it('is told from numbers and lists', () => {
    expect([{ formula: '1' }, 1, [1], null, {}].map(isFormula)).toEqual([true, false, false, false, false]);
  });

  it('is kept on Enter, put back on Escape, and never kept empty', () => {
    const field = show();
    type(field, '2.0 * loop');
    press(field, 'Escape');
    press(field, 'Enter');
    type(field, '  ');
    press(field, 'Enter');
    expect(onKeep).not.toHaveBeenCalled();
    type(field, ' 2.0 * loop ');
    press(field, 'Enter');
    expect(onKeep.mock.calls).toEqual([['2.0 * loop']]);
  });

  it('says what is wrong under it', () => {
    const field = show({ text: 'sin(', mark: { param: 'start', part: 0, at: 4, length: 1, message: 'The formula ends too early.' } });
    expect(host.querySelector('[role=alert]')?.textContent).toContain('The formula ends too early.');
    expect(field.getAttribute('aria-invalid')).toBe('true');
  });
});
