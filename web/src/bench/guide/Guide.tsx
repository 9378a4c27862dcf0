import { Button } from '@mui/material';
import { useEffect } from 'react';
import type { Scene } from '../../api/types';
import { useScene } from '../../scene/store';
import { endGuide, useGuide } from './guide-state';

/** A step of the guided start: what to do, and how the scene tells that it is done. */
interface Step {
  title: string;
  text: string;
  /** The panel in which it is done. */
  panel: 'view' | 'weave' | 'card' | 'dial';
  done: (document: Scene) => boolean;
}

const has = (document: Scene, type: string): boolean => Object.values(document.nodes ?? {}).some((node) => node.type === type);
const points = (document: Scene): number => Math.max(0, ...Object.values(document.nodes ?? {}).map((node) => (node.type === 'drawn-path' && Array.isArray(node.params?.['points']) ? (node.params['points'] as unknown[]).length : 0)));
const threaded = (document: Scene, type: string): boolean => Object.values(document.threads ?? {}).some((thread) => document.nodes?.[thread.to]?.type === type);

export const steps: Step[] = [
  { title: 'Draw a path', text: 'With the View in focus press P and click four places. C closes the path.', panel: 'view', done: (document) => points(document) >= 4 && Object.values(document.nodes ?? {}).some((node) => node.params?.['closed'] === true) },
  { title: 'Put something on it', text: 'With the path selected press N in the Weave, type “ride”, press Enter: the thread is pulled for you.', panel: 'weave', done: (document) => threaded(document, 'ride') },
  { title: 'Let it look ahead', text: 'Press N again and add Face travel, so that noses point along the way.', panel: 'weave', done: (document) => threaded(document, 'face-travel') },
  { title: 'Hand it off', text: 'Add an Output: it names what is handed off and says how its things look.', panel: 'weave', done: (document) => has(document, 'output') && threaded(document, 'output') },
  { title: 'Make them many', text: 'Select the Ride and set more riders in the Card.', panel: 'card', done: (document) => Object.values(document.nodes ?? {}).some((node) => node.type === 'ride' && Number(node.params?.['riders'] ?? 1) > 1) },
];

/** A short guided start within the real interface; it can be left at any time. */
export function Guide() {
  const step = useGuide((state) => state.step);
  const here = step === null ? undefined : steps[step];
  const done = useScene(({ document }) => document !== null && here !== undefined && here.done(document));
  useEffect(() => {
    if (step !== null && done) useGuide.setState({ step: step + 1 });
  }, [step, done]);
  if (step === null) return null;
  const playing = here === undefined;
  return (
    <aside className={`guide ${here?.panel ?? 'dial'}`} role="status" aria-label="Guided start">
      <p className="soft">{playing ? 'Guided start' : `Step ${step + 1} of ${steps.length}`}</p>
      <h3>{playing ? 'Press Space' : here.title}</h3>
      <p>{playing ? 'It loops without a seam: the knot on the Dial says so. V keeps a version, Hand-off writes a file, ? lists all keys.' : here.text}</p>
      <span className="buttons">
        {!playing && (
          <Button variant="outlined" onClick={() => useGuide.setState({ step: step + 1 })}>
            Skip
          </Button>
        )}
        <Button variant="outlined" onClick={endGuide}>
          {playing ? 'Done' : 'Leave'}
        </Button>
      </span>
    </aside>
  );
}
