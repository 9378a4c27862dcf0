import type { ReactNode } from 'react';

/** A part of the bench; letters act on the one that has the focus. */
export function Panel(props: { area: string; name: string; digit: number; children: ReactNode }) {
  return (
    <section className={`panel ${props.area}`} aria-label={props.name} tabIndex={-1} data-digit={props.digit}>
      {props.children}
    </section>
  );
}
