// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, Profiler, type ReactNode } from 'react';
import { createRoot, type Root } from 'react-dom/client';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Live } from '../api/live';
import type { EndReport, NodeSchema, NodeStatus, Op, Scene } from '../api/types';
import { put } from '../scene/edits';
import { reset, select, setDocument, useScene } from '../scene/store';
import { Bar } from './Bar';
import { Card } from './card/Card';
import { Dial } from './dial/Dial';
import { Guide } from './guide/Guide';
import { beginGuide, endGuide } from './guide/guide-state';
import { LiveContext } from './live';
import { Seam } from './seam/Seam';
import { Weave } from './weave/Weave';

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

const number = (name: string) => ({ name, label: name, group: 'form', help: '', spaces: 'both', drives: 'nothing', values: { kind: 'number', default: 1, min: 0, max: 100, unit: 'metres' } });
const schemas = [
  { name: 'ring', title: 'Ring', group: 'path', help: '', inputs: [], output: 'path', uses_timing: false, params: [number('radius')] },
  { name: 'ride', title: 'Ride', group: 'motion', help: '', inputs: [{ name: 'path', label: 'path', kind: 'path' }], output: 'motion', uses_timing: true, params: [] },
  { name: 'output', title: 'Output', group: 'output', help: '', inputs: [{ name: 'motion', label: 'motion', kind: 'motion' }], output: null, uses_timing: false, params: [] },
] as unknown as NodeSchema[];
const scene = {
  format: 'zickzack-scene',
  version: 1,
  name: 'Round',
  space: 'deep',
  fps: '24',
  frames: 120,
  nodes: {
    ring: { type: 'ring', name: 'Rim', at: [0, 0], params: { radius: 2 } },
    ride: { type: 'ride', name: 'Lamps', at: [0, 90], params: {} },
    out: { type: 'output', name: 'Lamps out', at: [0, 180], params: {} },
  },
  threads: { a: { from: 'ring', to: 'ride', port: 'path' }, b: { from: 'ride', to: 'out', port: 'motion' } },
} as unknown as Scene;
const status: NodeStatus = { state: 'ok', messages: [], mends: [], facts: [], millis: 1, marks: [], alike: {}, names: {}, span: [10, 40] };
const seam = { closes: false, flips: 0, leap_count: 0, leaps: [], position: 0.5, velocity: 0, orientation: 0, spin: 0, trading: 0, uncertain: [], worst: {} };
const end: EndReport = { node: 'out', name: 'Lamps out', things: 1, output: true, on_path: true, phases: [0], density: [], kinds: [], offers: [], contacts: [], contact_count: 0, seam };

let root: Root;
let host: HTMLElement;
const renewed = new Set<string>();
const watched = (name: string, panel: ReactNode) => (
  <Profiler key={name} id={name} onRender={() => renewed.add(name)}>
    {panel}
  </Profiler>
);

beforeEach(() => {
  globalThis.ResizeObserver = class {
    observe() {}
    unobserve() {}
    disconnect() {}
  };
  globalThis.matchMedia = (() => ({ matches: false, addEventListener: () => undefined, removeEventListener: () => undefined })) as unknown as typeof matchMedia;
  globalThis.DOMMatrixReadOnly ??= class {
    m22 = 1;
  } as unknown as typeof DOMMatrixReadOnly;
  host = document.body.appendChild(document.createElement('div'));
  root = createRoot(host);
  reset();
});

afterEach(() => {
  act(() => root.unmount());
  act(endGuide);
  host.remove();
});

/** Draws the panels, does something, and says which of them drew themselves anew for it. */
function renewedBy(act_: () => void): string[] {
  const queries = new QueryClient();
  queries.setQueryData(['nodes'], schemas);
  useScene.setState({ connection: 'open', base: scene, document: scene, revision: 3, measured: 3, ends: [end], endsKnown: true, nodes: { ring: status, ride: status, out: status } });
  select('ring');
  act(beginGuide);
  act(() =>
    root.render(
      <QueryClientProvider client={queries}>
        <LiveContext.Provider value={{ preview: vi.fn(), edit: vi.fn() } as unknown as Live}>
          {watched('Bar', <Bar scene="1" />)}
          {watched('Weave', <Weave />)}
          {watched('Card', <Card />)}
          {watched('Dial', <Dial />)}
          {watched('Seam', <Seam />)}
          {watched('Guide', <Guide />)}
        </LiveContext.Provider>
      </QueryClientProvider>,
    ),
  );
  renewed.clear();
  act(act_);
  return [...renewed].sort();
}

const step = (...ops: Op[]) => () => setDocument({ preview: ops });

describe('what a step of a drag draws anew', () => {
  it('is what shows the number that is dragged, and nothing else', () => {
    expect(renewedBy(step(put(['nodes', 'ring', 'params', 'radius'], 3)))).toEqual(['Card']);
    expect(host.querySelector<HTMLInputElement>('.card-body input[aria-label="radius"]')?.value).toContain('3');
  });

  it('is all that shows a name, where a name is changed', () => {
    const names = renewedBy(step(put(['nodes', 'ring', 'name'], 'Edge')));
    expect(names).toEqual(expect.arrayContaining(['Card', 'Weave', 'Dial']));
    expect(names).not.toContain('Guide');
  });
});
