import type { ReactNode } from 'react';
import { useSizes, type PanelName } from './sizes';

/** A part of the bench; letters act on the one that has the focus. */
export function Panel(props: { area: PanelName; name: string; digit: number; children: ReactNode }) {
  const full = useSizes((state) => state.full);
  return (
    <section className={`panel ${props.area}${full === props.area ? ' full' : ''}`} aria-label={props.name} tabIndex={-1} data-digit={props.digit} data-area={props.area} hidden={full !== null && full !== props.area}>
      {props.children}
    </section>
  );
}
