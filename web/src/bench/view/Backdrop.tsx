import { useEffect, useRef } from 'react';
import { useScene } from '../../scene/store';
import type { Look } from './scene3d/eye';
import type { Stage } from './scene3d/stage';

/** The picture to match against, and the border of the picture when it is looked at through the camera. */
export function Backdrop({ stage, look }: { stage: Stage; look: Look }) {
  const backdrop = useScene((state) => state.document?.backdrop);
  const asset = useScene((state) => (state.document?.backdrop ? state.document.assets?.[state.document.backdrop.file] : undefined));
  const flat = useScene((state) => state.document?.space === 'flat');
  const frame = useRef<HTMLDivElement>(null);
  const shown = flat || look === 'camera';
  useEffect(() => {
    const lay = () => {
      const rect = stage.eye.pictureFrame();
      const element = frame.current;
      if (!element) return;
      element.style.display = rect ? 'block' : 'none';
      if (rect) Object.assign(element.style, { left: `${rect.x}px`, top: `${rect.y}px`, width: `${rect.width}px`, height: `${rect.height}px` });
    };
    lay();
    return stage.onPicture(lay);
  }, [stage, shown]);
  if (!shown || (flat && !backdrop)) return null;
  return (
    <div ref={frame} className={`backdrop${flat ? '' : ' framed'}`}>
      {backdrop && asset && <img src={`/api/assets/${asset.hash}`} alt={`Backdrop ${backdrop.file}`} style={{ opacity: backdrop.strength }} draggable={false} />}
    </div>
  );
}
