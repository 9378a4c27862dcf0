// @vitest-environment jsdom
import { act } from 'react';
import { createRoot, type Root } from 'react-dom/client';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { NumberField, TakesFormula } from './NumberField';

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

let root: Root;
let host: HTMLElement;
const kept = vi.fn();
const seen = vi.fn();

function show(props: Partial<Parameters<typeof NumberField>[0]> = {}): HTMLInputElement {
  act(() => root.render(<NumberField label="size" value={2} unit="metres" min={0} max={10} onPreview={seen} onKeep={kept} {...props} />));
  return host.querySelector('input')!;
}

/** Types as a person does, replacing what is there. */
function type(input: HTMLInputElement, text: string, key: string): void {
  act(() => input.focus());
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!;
  act(() => {
    set.call(input, text);
    input.dispatchEvent(new Event('input', { bubbles: true }));
  });
  act(() => {
    input.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
  });
}

const pointer = (input: HTMLInputElement, kind: string, clientX: number, more: object = {}) =>
  act(() => {
    input.dispatchEvent(Object.assign(new MouseEvent(kind, { bubbles: true, clientX, button: 0, ...more }), { pointerId: 1 }));
  });

beforeEach(() => {
  host = document.body.appendChild(document.createElement('div'));
  root = createRoot(host);
  HTMLElement.prototype.setPointerCapture = () => undefined;
  kept.mockClear();
  seen.mockClear();
});

afterEach(() => {
  act(() => root.unmount());
  host.remove();
});

describe('a number in the Card', () => {
  it('takes what was typed once', () => {
    type(show(), '25 cm + 1 m', 'Enter');
    expect(kept.mock.calls).toEqual([[1.25, '25 cm + 1 m']]);
  });

  it('keeps what is shown on Enter where that sets a key, and as it is', () => {
    const input = show({ sets: true, value: 1.23456789 });
    act(() => input.focus());
    act(() => {
      input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    });
    expect(kept.mock.calls.map(([value]) => value as number)).toEqual([1.23456789]);
    const plain = show();
    act(() => plain.focus());
    act(() => {
      plain.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    });
    expect(kept).toHaveBeenCalledTimes(1);
  });

  it('leaves what it refuses to be mended, until that is given up or the number is another', () => {
    const input = show();
    type(input, '2 * sin(frame)', 'Enter');
    expect(kept).not.toHaveBeenCalled();
    expect([input.value, input.getAttribute('aria-invalid')]).toEqual(['2 * sin(frame)', 'true']);
    act(() => input.focus());
    act(() => {
      input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }));
    });
    expect([input.value, input.getAttribute('aria-invalid')]).toEqual(['2', 'false']);
    type(input, 'two', 'Enter');
    expect(show({ value: 3 }).value).toBe('3');
  });

  it('forgets what was typed on Escape', () => {
    const input = show();
    type(input, '9', 'Escape');
    expect(kept).not.toHaveBeenCalled();
    expect(input.value).toBe('2');
  });

  it('says what is wrong at its place, and no longer once it is right', () => {
    const input = show();
    type(input, '11', 'Enter');
    expect(host.querySelector('[role=alert]')?.textContent).toBe('Choose from 0 to 10 m.');
    expect(input.getAttribute('aria-invalid')).toBe('true');
    type(input, '2', 'Enter');
    expect(host.querySelector('[role=alert]')).toBeNull();
    expect(kept).not.toHaveBeenCalled();
  });

  it('is not an edit when nothing changed', () => {
    type(show(), '2 m', 'Enter');
    expect(kept).not.toHaveBeenCalled();
  });

  it('drags sideways: previews on the way, one edit at the end', () => {
    const input = show();
    pointer(input, 'pointerdown', 100);
    for (let x = 110; x <= 150; x += 10) pointer(input, 'pointermove', x);
    pointer(input, 'pointerup', 150);
    expect(seen).toHaveBeenCalledTimes(5);
    expect(kept.mock.calls).toEqual([[2.5]]);
  });

  it('drags ten times faster and ten times finer, and never beyond its range', () => {
    const input = show();
    for (const [keys, expected] of [[{ shiftKey: true }, 3], [{ ctrlKey: true }, 2.01]] as const) {
      kept.mockClear();
      pointer(input, 'pointerdown', 0);
      pointer(input, 'pointermove', 10, keys);
      pointer(input, 'pointerup', 10, keys);
      expect(kept).toHaveBeenCalledWith(expected);
    }
    pointer(input, 'pointerdown', 0);
    pointer(input, 'pointermove', -5000);
    pointer(input, 'pointerup', -5000);
    expect(kept).toHaveBeenLastCalledWith(0);
  });

  it('is typed into after a click without a drag', () => {
    const input = show();
    pointer(input, 'pointerdown', 5);
    pointer(input, 'pointermove', 6);
    pointer(input, 'pointerup', 6);
    expect(document.activeElement).toBe(input);
    expect(kept).not.toHaveBeenCalled();
  });

  it('steps with the arrow keys, whole numbers by whole ones', () => {
    const input = show({ unit: 'none', whole: true, value: 7, max: 100 });
    const press = (key: string, more = {}) => act(() => void input.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more })));
    press('ArrowUp');
    press('ArrowDown');
    press('ArrowUp', { shiftKey: true });
    expect(kept.mock.calls.map(([value]) => value as number)).toEqual([8, 6, 17]);
  });

  it('shows a fraction as it was given', () => {
    const input = show({ unit: 'laps', text: '9/7', value: 9 / 7 });
    expect(input.value).toBe('9/7');
  });
});

describe('a formula typed where a number stands', () => {
  const takes = vi.fn();
  const within = (props: object = {}) => {
    act(() =>
      root.render(
        <TakesFormula.Provider value={takes}>
          <NumberField label="size" value={2} unit="metres" min={0} max={10} onPreview={seen} onKeep={kept} {...props} />
        </TakesFormula.Provider>,
      ),
    );
    return host.querySelector('input')!;
  };
  beforeEach(() => takes.mockClear());

  it('takes the place of the number, where formulas may stand', () => {
    for (const text of ['2 * sin(frame)', 'time + 1', 'loop < 0.5 ? 1 : 2', 'dice']) {
      type(within(), text, 'Enter');
      expect(takes).toHaveBeenLastCalledWith(text);
    }
    expect(kept).not.toHaveBeenCalled();
  });

  it('is not made of arithmetic, of units, or of what is only wrong', () => {
    for (const text of ['2 * 3', '25 cm', '3 parsec', '1 +', 'two']) type(within(), text, 'Enter');
    expect(takes).not.toHaveBeenCalled();
  });
});
