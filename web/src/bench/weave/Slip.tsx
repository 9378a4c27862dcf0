import { Tooltip } from '@mui/material';
import { Handle, Position, useUpdateNodeInternals, type Node, type NodeProps } from '@xyflow/react';
import { memo, useEffect } from 'react';
import type { NodeSchema } from '../../api/types';
import { Picture } from '../../miniature/Picture';
import { portsOf, portWords } from '../../scene/giving';
import { partDone } from '../../scene/progress';
import { useScene } from '../../scene/store';
import { ANY_NUMBER } from './work';

export type SlipNode = Node<{ name: string; type: string; schema: NodeSchema | null; flat: boolean; marks: string; driven: string }, 'slip'>;

const marks = { worked: '', warning: '!', error: '×', bypassed: '' } as const;

/** A node as a slip of paper: type, given name, what it gives in small, and a tab that tells how it went. */
export const Slip = memo(function Slip({ id, data }: NodeProps<SlipNode>) {
  const status = useScene((state) => state.nodes[id]);
  const update = useUpdateNodeInternals();
  // The schema comes later than the slip, and with it the ports that threads end at.
  useEffect(() => update(id), [update, id, data.schema, data.driven]);
  const state = (status?.state ?? 'worked') as keyof typeof marks;
  const inputs = data.schema?.inputs ?? [];
  const driven = data.driven.split(' ').filter(Boolean);
  const drivable = data.schema?.params.some((param) => portsOf(param).length > 0);
  const told = [...(status?.messages ?? []), ...(status?.facts ?? []), status && status.millis > 0 ? `${status.millis.toFixed(1)} ms` : ''].filter(Boolean).join(' · ');
  return (
    <Tooltip title={told} placement="right">
      <div className={`slip ${state}`} data-state={state} data-name={data.name}>
        {inputs.map((port, i) => (
          <Handle key={port.name} id={port.name} type="target" position={Position.Top} style={{ left: `${((i + 1) / (inputs.length + 1)) * 100}%` }} title={`${port.name}: ${port.help}`} aria-label={`port ${port.name}`} />
        ))}
        {driven.map((port, i) => (
          <Handle key={port} id={port} type="target" position={Position.Left} className="number-port" style={{ top: `${((i + 1) / (driven.length + 2)) * 100}%` }} title={`drives ${portWords(data.schema ?? undefined, port)}`} aria-label={`port ${portWords(data.schema ?? undefined, port)}`} />
        ))}
        {drivable && <Handle id={ANY_NUMBER} type="target" position={Position.Left} className="number-port open" style={{ top: `${((driven.length + 1) / (driven.length + 2)) * 100}%` }} title="pull a signal here to drive a number" aria-label="port for a signal" />}
        <span className="tab" aria-hidden="true">
          {marks[state]}
        </span>
        <span className="slip-text">
          <span className="soft">{data.schema?.title ?? data.type}</span>
          <strong>{data.name}</strong>
          {(state === 'error' || state === 'warning') && <span className={`slip-state ${state}`}>{state}</span>}
          {status?.progress && <span className="slip-state">{`${status.progress.done} of ${status.progress.of}`}</span>}
          {data.marks && <span className="slip-marks">{data.marks}</span>}
        </span>
        <span className="slip-picture">{status?.miniature ? <Picture miniature={status.miniature} flat={data.flat} size={48} /> : null}</span>
        {status?.progress && <span className="slip-progress" aria-hidden="true" style={{ width: `${partDone(status.progress) * 100}%` }} />}
        {data.schema?.output && <Handle type="source" position={Position.Bottom} title={`gives a ${data.schema.output}`} aria-label={`gives a ${data.schema.output}`} />}
      </div>
    </Tooltip>
  );
});
