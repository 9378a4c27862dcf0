import { useEffect, useState } from 'react';
import { isBehind, isMeasured, useScene } from '../scene/store';

/** How long what was found may be older than the scene before it is said, milliseconds: most is there sooner. */
const SOON = 400;

/** True while what was found holds for the scene before what was changed: it waits to be sent, or to be worked out. */
export function useBehind(): boolean {
  const waits = useScene(isBehind);
  const measured = useScene(isMeasured);
  const [late, setLate] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => setLate(!measured), measured ? 0 : SOON);
    return () => window.clearTimeout(timer);
  }, [measured]);
  return waits || (late && !measured);
}
