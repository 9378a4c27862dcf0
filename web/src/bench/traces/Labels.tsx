import { Checkbox, IconButton, Menu, MenuItem, Popover } from '@mui/material';
import { useState } from 'react';
import { useFrame } from '../../scene/clock';
import { paces } from '../../scene/keyed';
import type { TraceBlock } from '../../scene/store';
import { commands, type Command } from './commands';
import { valueUnder } from './paint';
import { flips, told } from './read';
import type { Row } from './rows';
import { choose, movedBy, toggled } from './settings';

/** With less height than this a channel has room for one line of words only. */
export const LINES = 34;

/** Which channels are drawn, and in what order. */
export function Channels({ block, node, shown, title }: { block: TraceBlock; node: string; shown: string[]; title: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const names = block.header.channels.map((channel) => channel.name);
  const rest = names.filter((name) => !shown.includes(name));
  return (
    <>
      <button type="button" className="trace-thing" aria-haspopup="dialog" title="Choose channels" aria-label={`Channels of ${title}`} onClick={(event) => setAnchor(event.currentTarget)}>
        {title} ▾
      </button>
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: 'top', horizontal: 'left' }} transformOrigin={{ vertical: 'bottom', horizontal: 'left' }} transitionDuration={0} slotProps={{ paper: { className: 'view-menu channels', role: 'dialog', 'aria-label': 'Channels' } }}>
        {[...shown, ...rest].map((name) => (
          <div key={name} className="channel">
            <Checkbox size="small" checked={shown.includes(name)} disabled={shown.length === 1 && shown.includes(name)} onChange={() => choose(node, toggled(shown, name))} slotProps={{ input: { 'aria-label': name } }} />
            <span>{name}</span>
            <IconButton size="small" aria-label={`${name} further up`} disabled={!shown.includes(name) || shown[0] === name} onClick={() => choose(node, movedBy(shown, name, -1))}>
              ↑
            </IconButton>
            <IconButton size="small" aria-label={`${name} further down`} disabled={!shown.includes(name) || shown.at(-1) === name} onClick={() => choose(node, movedBy(shown, name, 1))}>
              ↓
            </IconButton>
          </div>
        ))}
      </Popover>
    </>
  );
}

interface LabelProps {
  rows: readonly Row[];
  frames: number;
  fps: number;
  active: Row | undefined;
  onCommand: (row: Row, command: Command) => void;
}

/** The name of each row, its value under the playhead, and what can be done with its keys. */
export function Labels({ rows, frames, fps, active, onCommand }: LabelProps) {
  const frame = useFrame();
  return (
    <>
      {rows.map((row) => (
        <div key={`${row.number?.port ?? 'thing'} ${row.name}`} className={`trace-label${row.height < LINES && !row.keyed ? ' tight' : ''}${row.keyed ? ' keyed-label' : ''}`} style={{ top: row.top, height: row.height }}>
          <strong>{row.name}</strong>
          {(row.name !== 'turn' || flips(row.block).length === 0 || row.height >= LINES) && <span className="mono">{told(valueUnder(row, frame, frames), row.unit)}</span>}
          {row.name === 'turn' && flips(row.block).length > 0 && <span className="flips">{flips(row.block).length === 1 ? '1 flip' : `${flips(row.block).length} flips`}</span>}
          {row.keyed && <Pace row={row} fps={fps} />}
          {row.keyed && row === active && <Commands name={row.name} onCommand={(command) => onCommand(row, command)} />}
        </div>
      ))}
    </>
  );
}

/** Smallest and largest pace between the keys. */
function Pace({ row, fps }: { row: Row; fps: number }) {
  const found = paces(row.keyed?.keys ?? []);
  if (!found) return null;
  const shown = (slope: number) => told(Math.abs(slope * fps), row.unit === '' ? '/s' : `${row.unit}/s`);
  return (
    <span className="paces mono" title="Slowest and fastest pace between the keys">
      {`${shown(found.slowest[1]).split(' ')[0]} … ${shown(found.fastest[1])}`}
    </span>
  );
}

/** What can be done with the selected keys. */
function Commands({ name, onCommand }: { name: string; onCommand: (command: Command) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <button type="button" className="key-commands" aria-haspopup="menu" aria-label={`Keys of ${name}`} onClick={(event) => setAnchor(event.currentTarget)}>
        keys ▾
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} transitionDuration={0}>
        {commands.map((command) => (
          <MenuItem
            key={command.title}
            onClick={() => {
              setAnchor(null);
              onCommand(command);
            }}
          >
            <span className="menu-words">{command.title}</span>
            <span className="mono soft">{command.letter.toUpperCase()}</span>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
