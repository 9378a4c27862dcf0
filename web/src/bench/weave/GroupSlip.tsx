import { Handle, Position, type Node, type NodeProps } from '@xyflow/react';
import { memo, useEffect, useState } from 'react';
import { put } from '../../scene/edits';
import { useLive } from '../live';

export type GroupNode = Node<{ group: string; name: string; shut: boolean; count: number }, 'group-slip'>;

/** A group: open as a frame behind its slips, shut as one slip. */
export const GroupSlip = memo(function GroupSlip({ data, width, height }: NodeProps<GroupNode>) {
  const live = useLive();
  const { group, name, shut, count } = data;
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const keep = () => {
    const wanted = text.trim();
    if (wanted && wanted !== name) live.edit('rename a group', [put(['groups', group, 'name'], wanted)]);
    else setText(name);
  };
  return (
    <div className={`group-slip${shut ? ' shut' : ''}`} data-group={name} style={shut ? undefined : { width, height }}>
      {shut && <Handle type="target" position={Position.Top} isConnectable={false} aria-hidden="true" />}
      <span className="group-head">
        <button type="button" className="group-fold nodrag" aria-expanded={!shut} aria-label={`${shut ? 'Open' : 'Shut'} ${name}`} onClick={() => live.edit(shut ? 'open a group' : 'shut a group', [put(['groups', group], { name, ...(shut ? {} : { shut: true }) })])}>
          {shut ? '▸' : '▾'}
        </button>
        <input className="group-name nodrag" aria-label={`Name of group ${name}`} value={text} onChange={(event) => setText(event.target.value)} onBlur={keep} onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()} />
        {shut && <span className="soft">{`${count} nodes`}</span>}
      </span>
      {shut && <Handle type="source" position={Position.Bottom} isConnectable={false} aria-hidden="true" />}
    </div>
  );
});
