import { Button, Tooltip } from '@mui/material';
import { useEffect, useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { FilesButton } from '../files/Files';
import { Link, go } from '../route';
import { put } from '../scene/edits';
import { partDone, waitedFor } from '../scene/progress';
import { isMeasured, useScene } from '../scene/store';
import { useMode } from '../theme/mode';
import { useBehind } from './behind';
import { anywhere } from './keyboard/anywhere';
import { withKey } from './keyboard/table';
import { Knot } from './dial/Knot';
import { useLive } from './live';
import { show } from './overlays';
import { gapText, outputsOf } from './seam/gap';

/** The bar over the bench. */
export function Bar({ scene }: { scene: string }) {
  const aside = useScene((state) => state.aside);
  const compared = useScene((state) => state.compared);
  return (
    <header className="bar">
      <Link to="/" className="back">
        ◂ Pattern book
      </Link>
      <SceneName />
      <Settings />
      <span className="gap" />
      <History />
      <SaveState />
      <SeamBadge />
      <Tooltip title={withKey(anywhere, 'Versions', 'Keep and compare versions')}>
        <Button variant="outlined" aria-pressed={aside === 'versions'} onClick={() => useScene.setState({ aside: aside === 'versions' ? null : 'versions' })}>
          {compared ? 'Comparing' : 'Versions'}
        </Button>
      </Tooltip>
      <FilesButton />
      <ModeButton />
      <Tooltip title={withKey(anywhere, 'All keys and words')}>
        <Button variant="outlined" aria-label="All keys and words" onClick={() => show('help')} sx={{ minWidth: 34, px: 0.5 }}>
          ?
        </Button>
      </Tooltip>
      <Button variant="contained" onClick={() => go(`/handoff/${scene}`)}>
        Hand-off
      </Button>
    </header>
  );
}

function History() {
  const live = useLive();
  const open = useScene((state) => state.connection === 'open');
  const own = useScene((state) => state.pending.some((edit) => edit.kind === 'edit' && !edit.sent));
  const withdrawn = useScene((state) => state.withdrawn.length > 0);
  const undo = useScene((state) => state.undo);
  const redo = useScene((state) => state.redo);
  const pending = useScene((state) => state.pending.at(-1)?.label);
  const step = (title: string, what: string | null | undefined, can: boolean, act: () => void) => (
    <Tooltip title={withKey(anywhere, title, what && can ? `${title}: ${what}` : title)}>
      <span>
        <Button variant="outlined" disabled={!can} onClick={act}>
          {title}
        </Button>
      </span>
    </Tooltip>
  );
  return (
    <>
      {step('Undo', pending ?? undo, own || (open && (undo !== null || pending !== undefined)), () => live.undo())}
      {step('Redo', redo, withdrawn || (open && redo !== null), () => live.redo())}
    </>
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
  const text = useScene(({ document }) => document && `${document.space} · ${document.frames} frames · ${document.fps} fps`);
  return text === null ? null : <span className="note settings-note">{text}</span>;
}

function SaveState() {
  const connection = useScene((state) => state.connection);
  const pending = useScene((state) => state.pending.length);
  const trouble = useScene((state) => state.trouble);
  const stopping = useScene((state) => state.stopping);
  const revision = useScene((state) => state.revision);
  const measured = useScene(isMeasured);
  const wait = pending === 1 ? '1 change waits' : `${pending} changes wait`;
  const state = connection !== 'open' ? connection : trouble && pending ? 'trouble' : pending ? 'pending' : 'kept';
  const text = {
    open: '',
    connecting: 'connecting …',
    lost: [stopping ? 'the server was stopped' : 'no connection', ...(pending ? [wait] : [])].join(' · '),
    trouble: `${wait} for the database`,
    pending: 'keeping …',
    kept: `all kept · edit ${revision}`,
  }[state];
  return (
    <Tooltip title={state === 'trouble' ? (trouble ?? '') : state === 'lost' ? `${stopping ? 'The server was stopped' : 'The server cannot be reached'}: what you change waits in this browser and is sent when it is back.` : ''}>
      <span className={`note save-state ${state}`} role="status" data-state={state} data-measured={measured}>
        {text}
      </span>
    </Tooltip>
  );
}

function SeamBadge() {
  const ends = useScene((state) => state.ends);
  const open = useScene((state) => state.aside === 'seam');
  const waits = useScene(useShallow((state) => waitedFor(state.nodes)));
  const behind = useBehind();
  const shown = outputsOf(ends);
  if (shown.length === 0) return null;
  if (behind) {
    return (
      <span className="badge waiting" role="status">
        not measured yet
      </span>
    );
  }
  const closes = shown.every((end) => end.seam.closes);
  if (waits) {
    // Where the loop ends nothing may be there yet to be measured.
    return (
      <span className="badge waiting" role="status">
        {waits.stopped ? 'stopped' : `working · ${Math.floor(partDone(waits) * 100)} %`}
      </span>
    );
  }
  return (
    <button type="button" className={`badge ${closes ? 'closed' : 'open'}`} aria-pressed={open} onClick={() => useScene.setState({ aside: open ? null : 'seam' })}>
      <Knot closed={closes} />
      {closes ? 'closes' : `open · ${gapText(shown)}`}
    </button>
  );
}
