import type { EndReport } from '../../api/types';
import { turn } from './turn';

type Told = NonNullable<EndReport['lives']>;

/** Between which radii of the Dial is shown how many are there. */
const INNER = 50;
const OUTER = 64;
/** How long the tick of the fullest part's births is. */
const TICK = 7;

/** How many are there over the loop, as a ring of that width, and where things are born, as ticks. */
export function Lives({ lives, radius }: { lives: Told; radius: number }) {
  const { there, born } = lives;
  const parts = there.length;
  const at = (i: number, far: number) => turn((i + 0.5) / parts, far).map((x) => x.toFixed(2)).join(',');
  const wide = (count: number) => (lives.most > 0 ? (count / lives.most) * (OUTER - INNER) : 0);
  const outer = there.map((count, i) => at(i, INNER + wide(count)));
  const inner = there.map((_, i) => at(i, INNER));
  const most = Math.max(1, ...born);
  return (
    <g className="lives">
      <path d={`M${outer.join('L')}ZM${inner.reverse().join('L')}Z`}>
        <title>{`${lives.least === lives.most ? lives.most : `${lives.least} to ${lives.most}`} there at a time`}</title>
      </path>
      {born.map((count, i) => {
        if (count === 0) return null;
        const [x1, y1] = turn((i + 0.5) / parts, radius);
        const [x2, y2] = turn((i + 0.5) / parts, radius - (TICK * count) / most);
        return (
          <line key={i} x1={x1} y1={y1} x2={x2} y2={y2}>
            <title>{`${count} born here`}</title>
          </line>
        );
      })}
    </g>
  );
}
