import { BaseEdge, getSmoothStepPath, getStraightPath, type EdgeProps } from '@xyflow/react';
import { memo } from 'react';

/** A thread: a path is solid, a motion a zigzag, a signal fine dashes, a surface a double line. */
export const Stitch = memo(function Stitch(props: EdgeProps) {
  const { sourceX, sourceY, targetX, targetY, selected, data } = props;
  const { kind, bypassed } = (data ?? {}) as { kind?: string; bypassed?: boolean };
  const straight = Math.abs(sourceX - targetX) < 1 && targetY > sourceY;
  const [line] = straight ? getStraightPath({ sourceX, sourceY, targetX, targetY }) : getSmoothStepPath({ ...props, borderRadius: 12 });
  const path = kind === 'motion' ? zigzag(line) : line;
  const stitch = <BaseEdge path={path} className={`stitch ${kind ?? 'none'}${selected ? ' chosen' : ''}${bypassed ? ' bypassed' : ''}`} interactionWidth={18} />;
  if (kind !== 'surface') return stitch;
  return (
    <>
      {stitch}
      <BaseEdge path={path} className="stitch between" interactionWidth={0} />
    </>
  );
});

const cache = new Map<string, string>();

/** The line with a zigzag stitch of 9 px along it. */
function zigzag(line: string): string {
  const known = cache.get(line);
  if (known) return known;
  const ruler = document.createElementNS('http://www.w3.org/2000/svg', 'path');
  ruler.setAttribute('d', line);
  const length = ruler.getTotalLength();
  const stitches = Math.max(2, Math.round((length - 8) / 4.5));
  const points: string[] = [];
  for (let i = 0; i <= stitches; i += 1) {
    const s = 4 + ((length - 8) * i) / stitches;
    const [a, b] = [ruler.getPointAtLength(Math.max(0, s - 0.5)), ruler.getPointAtLength(Math.min(length, s + 0.5))];
    const size = Math.hypot(b.x - a.x, b.y - a.y) || 1;
    const side = i === 0 || i === stitches ? 0 : i % 2 === 0 ? 4.5 : -4.5;
    points.push(`${((a.x + b.x) / 2 - ((b.y - a.y) / size) * side).toFixed(1)} ${((a.y + b.y) / 2 + ((b.x - a.x) / size) * side).toFixed(1)}`);
  }
  const start = ruler.getPointAtLength(0);
  const end = ruler.getPointAtLength(length);
  const path = `M${start.x} ${start.y} L${points.join(' L')} L${end.x} ${end.y}`;
  if (cache.size > 500) cache.clear();
  cache.set(line, path);
  return path;
}
