import { Button } from '@mui/material';
import type { EndReport, Offer } from '../../api/types';
import { clock } from '../../scene/clock';
import { put } from '../../scene/edits';
import { selectThing, useScene } from '../../scene/store';
import { useLive } from '../live';
import { closing, openThread } from './closing';
import { gap, kinds, outputsOf } from './gap';
import './seam.css';

/** What happens at the loop point, and what would close it. */
export function Seam() {
  const ends = useScene((state) => state.ends);
  const frames = useScene((state) => state.document?.frames ?? 0);
  const shown = outputsOf(ends);
  return (
    <div className="card-body seam">
      <header>
        <div className="seam-head">
          <h2>Seam</h2>
          <Button variant="outlined" onClick={() => useScene.setState({ aside: null })}>
            Close
          </Button>
        </div>
        <p className="soft">How far the end of the loop, frame {frames}, misses its beginning.</p>
      </header>
      {shown.length === 0 && <p>Nothing moves yet: add a Ride or a Launch in the Weave.</p>}
      {shown.map((end) => (
        <Report key={end.node} end={end} />
      ))}
    </div>
  );
}

function Report({ end }: { end: EndReport }) {
  const { seam } = end;
  const trading = seam.trading > 0 ? `${seam.trading} of ${end.things} trade places` : end.things === 1 ? 'one thing' : `${end.things} things, each by itself`;
  return (
    <section className="seam-report" data-end={end.name}>
      <h3>{end.name}</h3>
      <p className={seam.closes ? 'closes' : 'opens'}>{seam.closes ? `Closes · ${trading}` : 'Open'}</p>
      {seam.leaps.length > 0 && <Leaping end={end} />}
      {seam.flips > 0 && <p className="warned">{seam.flips === 1 ? 'Once a thing in sight turns by more than 90° at once.' : `${seam.flips} times a thing in sight turns by more than 90° at once.`}</p>}
      <table>
        <thead>
          <tr>
            <th scope="col">what</th>
            <th scope="col">gap</th>
            <th scope="col">worst</th>
          </tr>
        </thead>
        <tbody>
          {kinds.map(({ key, label, unit }) => {
            const amount = seam[key];
            // What plays no clips has no gap in them, and what is not bent none in its form.
            if (amount === null || amount === undefined) return null;
            return (
              <tr key={key} className={amount > 1e-6 ? 'off' : undefined}>
                <th scope="row">{label}</th>
                <td className="mono">{gap(amount, unit)}</td>
                <td>{amount > 1e-6 ? <Worst end={end} kind={key} /> : '–'}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {seam.uncertain.length > 0 && <p className="warned">{`${seam.uncertain.length} of ${end.things} things have no certain partner and are compared with themselves.`}</p>}
      {end.offers.length > 0 && (
        <>
          <h3>What would close it</h3>
          {end.offers.map((offer) => (
            <OfferButton key={offer.text} offer={offer} />
          ))}
        </>
      )}
      {!seam.closes && <Beyond end={end} />}
    </section>
  );
}

/** What is somewhere else at once, farthest first. */
function Leaping({ end }: { end: EndReport }) {
  const first = useScene((state) => state.document?.first_frame ?? 0);
  const { leaps, leap_count } = end.seam;
  return (
    <>
      <h3>{leap_count === 1 ? 'Leaps in sight' : `${leap_count} leaps in sight`}</h3>
      <table>
        <thead>
          <tr>
            <th scope="col">thing</th>
            <th scope="col">frame</th>
            <th scope="col">by</th>
          </tr>
        </thead>
        <tbody>
          {leaps.slice(0, SHOWN_LEAPS).map((leap) => (
            <tr key={`${leap.object} ${leap.frame}`} className="off">
              <td>
                <button
                  type="button"
                  className="link"
                  onClick={() => {
                    selectThing(end.node, leap.object);
                    useScene.setState({ aside: 'seam' });
                    clock.stop();
                    clock.seek(leap.frame);
                  }}
                >
                  thing {leap.object + 1}
                </button>
              </td>
              <td className="mono">{(leap.frame + first).toFixed(2)}</td>
              <td className="mono">{gap(leap.metres, 'm')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Leaps that are listed. */
const SHOWN_LEAPS = 5;

function Worst({ end, kind }: { end: EndReport; kind: string }) {
  const worst = end.seam.worst[kind];
  if (!worst) return null;
  const show = () => {
    selectThing(end.node, worst.object);
    useScene.setState({ aside: 'seam' });
    clock.stop();
    clock.seek(0);
  };
  return (
    <button type="button" className="link" onClick={show}>
      thing {worst.object + 1}
    </button>
  );
}

/** What no offer alone closes, and the node that does. */
function Beyond({ end }: { end: EndReport }) {
  const live = useLive();
  const way = useScene(({ document }) => document !== null && openThread(document, end.node) !== null);
  if (end.offers.some((offer) => offer.left === '' || offer.left === undefined)) return null;
  const add = () => {
    const { document } = useScene.getState();
    const ops = document && closing(document, end.node);
    if (ops) live.edit('add Close loop', ops);
  };
  const text = end.offers.length === 0 ? 'No single number closes this one: it ends elsewhere than it begins.' : 'None of these closes it alone: something else is open too.';
  return (
    <>
      <p className="soft">{text}</p>
      {way && (
        <>
          <Button variant="outlined" className="offer" onClick={add}>
            Add Close loop
          </Button>
          <p className="soft">It spreads what is left over the whole lap.</p>
        </>
      )}
    </>
  );
}

function OfferButton({ offer }: { offer: Offer }) {
  const live = useLive();
  return (
    <Button variant="outlined" className="offer" onClick={() => live.edit(`set ${offer.text}`, [put(offer.node ? ['nodes', offer.node, 'params', offer.param] : [offer.param], offer.value)])}>
      <span>
        {offer.text}
        {offer.left ? <span className="soft">{` · leaves ${offer.left} open`}</span> : null}
      </span>
    </Button>
  );
}
