import { useEffect, useState } from 'react';
import { clock } from '../../scene/clock';
import { isHere } from '../../scene/taken/poses';
import { useScene } from '../../scene/store';

/** How often it is looked, milliseconds: what is missing twice is told. */
const LOOK = 250;

/** The frame on screen, where some motion is not here at it; nothing where all are. */
export function missing(): number | null {
  const { poses, connection } = useScene.getState();
  const frame = Math.floor(clock.frame);
  // What does not come because the server is gone is told at the top.
  const lacks = connection === 'open' && Object.values(poses).some((one) => !isHere(one, Math.min(frame, one.frames - 1)));
  return lacks ? frame : null;
}

/** Says so where the picture is that of another frame for longer than a moment. */
export function OnItsWay() {
  const [frame, setFrame] = useState<number | null>(null);
  useEffect(() => {
    let before = false;
    const looking = window.setInterval(() => {
      const lacking = missing();
      setFrame(before ? lacking : null);
      before = lacking !== null;
    }, LOOK);
    return () => window.clearInterval(looking);
  }, []);
  return frame === null ? null : (
    <p className="view-hint" role="status">
      Frame {frame} is on its way
    </p>
  );
}
