import { describe, expect, it } from 'vitest';
import { decode } from './blocks';

function block(header: object, numbers: number[]): ArrayBuffer {
  let text = JSON.stringify(header);
  while (text.length % 4 !== 0) text += ' ';
  const bytes = new Uint8Array(4 + text.length + 4 * numbers.length);
  new DataView(bytes.buffer).setUint32(0, text.length, true);
  bytes.set(new TextEncoder().encode(text), 4);
  bytes.set(new Uint8Array(new Float32Array(numbers).buffer), 4 + text.length);
  return bytes.buffer;
}

describe('binary blocks', () => {
  it('give back their header and their numbers', () => {
    const { header, numbers } = decode(block({ kind: 'poses', node: 'a' }, [1, 2.5, -3]));
    expect(header.kind).toBe('poses');
    expect([...numbers]).toEqual([1, 2.5, -3]);
  });

  it('are refused when they are cut off', () => {
    const whole = block({ kind: 'poses' }, [1]);
    expect(() => decode(whole.slice(0, 3))).toThrow();
    expect(() => decode(whole.slice(0, 10))).toThrow();
  });
});
