import { Button, Tooltip } from '@mui/material';
import { useEffect, useState } from 'react';
import { Link, go } from '../route';
import { put } from '../scene/edits';
import { useScene } from '../scene/store';
import { useMode } from '../theme/mode';
import { Knot } from './dial/Knot';
import { useLive } from './live';
import { gapText, outputsOf } from './seam/gap';

/** The bar over the bench. */
export function Bar({ scene }: { scene: string }) {
  const live = useLive();
  const open = useScene((state) => state.connection === 'open');
  const canUndo = useScene((state) => state.canUndo) && open;
  const canRedo = useScene((state) => state.canRedo) && open;
  return (
    <header className="bar">
      <Link to="/" className="back">
        ◂ Pattern book
      </Link>
      <SceneName />
      <Settings />
      <span className="gap" />
      <Tooltip title="Undo · Ctrl+Z">
        <span>
          <Button variant="outlined" disabled={!canUndo} onClick={() => live.undo()}>
            Undo
          </Button>
        </span>
      </Tooltip>
      <Tooltip title="Redo · Ctrl+Shift+Z">
        <span>
          <Button variant="outlined" disabled={!canRedo} onClick={() => live.redo()}>
            Redo
          </Button>
        </span>
      </Tooltip>
      <SaveState />
      <SeamBadge />
      <ModeButton />
      <Button variant="contained" onClick={() => go(`/handoff/${scene}`)}>
        Hand-off
      </Button>
    </header>
  );
}

/** Light or dark paper. */
export function ModeButton() {
  const { mode, toggle } = useMode();
  const title = mode === 'dark' ? 'Light paper' : 'Dark paper';
  return (
    <Tooltip title={title}>
      <Button variant="outlined" aria-label={title} onClick={toggle} sx={{ minWidth: 34, px: 0.5 }}>
        {mode === 'dark' ? '☼' : '☾'}
      </Button>
    </Tooltip>
  );
}

function SceneName() {
  const live = useLive();
  const name = useScene((state) => state.document?.name ?? '');
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const keep = () => {
    const wanted = text.trim();
    if (wanted && wanted !== name) live.edit('rename the scene', [put(['name'], wanted)]);
    else setText(name);
  };
  return (
    <input
      className="rename"
      aria-label="Scene name"
      value={text}
      size={Math.max(8, text.length)}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  );
}

function Settings() {
  const document = useScene((state) => state.document);
  if (!document) return null;
  return <span className="note">{`${document.space} · ${document.frames} frames · ${document.fps} fps`}</span>;
}

function SaveState() {
  const connection = useScene((state) => state.connection);
  const pending = useScene((state) => state.pending.length);
  const revision = useScene((state) => state.revision);
  const text =
    connection === 'open' ? (pending ? 'keeping …' : `all kept · edit ${revision}`) : connection === 'connecting' ? 'connecting …' : pending ? `no connection · ${pending} edits wait` : 'no connection';
  return (
    <span className="note save-state" role="status" data-state={connection === 'open' ? (pending ? 'pending' : 'kept') : connection}>
      {text}
    </span>
  );
}

function SeamBadge() {
  const ends = useScene((state) => state.ends);
  const open = useScene((state) => state.seamOpen);
  const shown = outputsOf(ends);
  if (shown.length === 0) return null;
  const closes = shown.every((end) => end.seam.closes);
  return (
    <button type="button" className={`badge ${closes ? 'closed' : 'open'}`} aria-pressed={open} onClick={() => useScene.setState({ seamOpen: !open })}>
      <Knot closed={closes} />
      {closes ? 'closes' : `open · ${gapText(shown)}`}
    </button>
  );
}
