import { Alert, Snackbar } from '@mui/material';
import { useEffect, useState } from 'react';
import { Live } from '../api/live';
import { beginMeasuring, endMeasuring } from '../measure';
import { clock } from '../scene/clock';
import { rateOf } from '../scene/rate';
import { clipAt, formAt, pathOf, poseAt, signalOf, traceOf, useScene } from '../scene/store';
import { Bar } from './Bar';
import { Card } from './card/Card';
import { Dial } from './dial/Dial';
import { Divider } from './Divider';
import { Find } from './find/Find';
import { Guide } from './guide/Guide';
import { Help } from './guide/Help';
import { useKeys } from './keyboard/listen';
import { enterScene } from './view/settings';
import { LiveContext, useLive } from './live';
import { Panel } from './Panel';
import { Seam } from './seam/Seam';
import { useSizes } from './sizes';
import { Traces } from './traces/Traces';
import { Versions } from './versions/Versions';
import { View } from './view/View';
import { Weave } from './weave/Weave';
import './frame.css';

declare global {
  interface Window {
    /** What is on screen, to be read by those who want to check it. */
    zickzack?: { pose: typeof poseAt; clip: typeof clipAt; form: typeof formAt; path: typeof pathOf; trace: typeof traceOf; signal: typeof signalOf; frame: () => number; beginMeasuring: () => void; endMeasuring: typeof endMeasuring };
  }
}

/** The working page of one scene. */
export function Bench({ scene }: { scene: string }) {
  const [live, setLive] = useState<Live | null>(null);
  useEffect(() => {
    enterScene(scene);
    const connection = new Live(scene);
    setLive(connection);
    window.zickzack = { pose: poseAt, clip: clipAt, form: formAt, path: pathOf, trace: traceOf, signal: signalOf, frame: () => clock.frame, beginMeasuring, endMeasuring };
    return () => {
      clock.stop();
      clock.setRange(null);
      clock.seek(0);
      connection.close();
    };
  }, [scene]);
  return live ? (
    <LiveContext.Provider value={live}>
      <Surface scene={scene} />
    </LiveContext.Provider>
  ) : null;
}

function Surface({ scene }: { scene: string }) {
  const ready = useScene((state) => state.document !== null);
  const frames = useScene((state) => state.document?.frames ?? 120);
  const fps = useScene((state) => state.document?.fps ?? '24');
  const name = useScene((state) => state.document?.name);
  const aside = useScene((state) => state.aside);
  const sizes = useSizes();
  const live = useLive();
  useKeys(live);
  useEffect(() => clock.setTiming(frames, rateOf(fps)), [frames, fps]);
  useEffect(() => {
    document.title = name ? `${name} · Zickzack` : 'Zickzack';
  }, [name]);
  const areas = { '--weave': `${sizes.weave}px`, '--card': `${sizes.card}px`, '--low': `${sizes.low}px`, '--dial': `${sizes.dial}px` } as React.CSSProperties;
  return (
    <div className="page">
      <Bar scene={scene} />
      {ready ? (
        <main className={`bench${sizes.full ? ' filled' : ''}`} style={areas}>
          <Panel area="weave" name="Weave" digit={1}>
            <Weave />
          </Panel>
          <Panel area="view" name="View" digit={2}>
            <View />
          </Panel>
          <Panel area="card" name={aside === 'seam' ? 'Seam' : aside === 'versions' ? 'Versions' : 'Card'} digit={3}>
            {aside === 'seam' ? <Seam /> : aside === 'versions' ? <Versions scene={scene} /> : <Card />}
          </Panel>
          <Panel area="dial" name="Dial" digit={4}>
            <Dial />
          </Panel>
          <Panel area="traces" name="Traces" digit={5}>
            <Traces />
          </Panel>
          {!sizes.full && (
            <>
              <Divider name="weave" title="Border of the Weave" way="across" back={false} />
              <Divider name="card" title="Border of the Card" way="across" back />
              <Divider name="low" title="Border over the Traces" way="up" back />
              <Divider name="dial" title="Border of the Dial" way="across" back={false} />
            </>
          )}
        </main>
      ) : (
        <Waiting />
      )}
      {ready && <Guide />}
      <Find />
      <Help />
      <Messages />
    </div>
  );
}

function Waiting() {
  const lost = useScene((state) => state.connection === 'lost');
  return <p className="waiting">{lost ? 'This scene cannot be reached. It may have been deleted, or the server stopped: it is tried again.' : 'Opening …'}</p>;
}

function Messages() {
  const message = useScene((state) => state.message);
  const forget = () => useScene.setState({ message: null });
  return (
    <Snackbar open={message !== null} onClose={(_, reason) => reason !== 'clickaway' && forget()} autoHideDuration={message?.tone === 'told' ? 4000 : 12000} anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }}>
      <Alert severity={message?.tone === 'told' ? 'success' : 'error'} icon={false} variant="outlined" onClose={forget} className="message" sx={{ bgcolor: 'background.paper', color: 'text.primary' }}>
        {message?.text}
      </Alert>
    </Snackbar>
  );
}
