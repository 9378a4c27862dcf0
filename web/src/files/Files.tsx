import { Button, IconButton, Popover, Tooltip } from '@mui/material';
import { useState } from 'react';
import type { OrderedFile } from '../api/types';
import { clock, contentOf, howFar, isOnItsWay, useArrivals, useFileActs, useFiles } from './files';
import { Report } from './Report';
import './files.css';

/** In the bar of every page: what is on its way, and what has come. */
export function FilesButton() {
  useArrivals();
  const { data } = useFiles();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  if (!data || data.files.length === 0) return null;
  const many = data.files.filter(isOnItsWay).length;
  return (
    <>
      <Tooltip title={many === 0 ? 'Files that were written' : many === 1 ? '1 file is on its way' : `${many} files are on their way`}>
        <Button variant="outlined" aria-haspopup="dialog" aria-expanded={anchor !== null} onClick={(event) => setAnchor(event.currentTarget)}>
          {many === 0 ? 'Files' : `Files · ${many}`}
        </Button>
      </Tooltip>
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }} transformOrigin={{ vertical: 'top', horizontal: 'right' }} slotProps={{ paper: { className: 'files-list', role: 'dialog', 'aria-label': 'Files' } }}>
        <FileList files={data.files} workers={data.workers} named />
      </Popover>
    </>
  );
}

/** Files of a scene, or of none in particular: then each says of which. */
export function FileList({ files, workers, named = false }: { files: readonly OrderedFile[]; workers: number; named?: boolean }) {
  const [told, setTold] = useState<OrderedFile | null>(null);
  return (
    <>
      <ul className="ordered">
        {files.map((file) => (
          <Ordered key={file.id} file={file} workers={workers} named={named} onReport={() => setTold(file)} />
        ))}
      </ul>
      {told && <Report file={told} onClose={() => setTold(null)} />}
    </>
  );
}

function Ordered({ file, workers, named, onReport }: { file: OrderedFile; workers: number; named: boolean; onReport: () => void }) {
  const { stop, again, forget } = useFileActs();
  const wrong = stop.error ?? again.error ?? forget.error;
  const from = file.own ? '' : file.asked_by === 'browser' ? ' · from another browser' : ` · by ${file.asked_by}`;
  const of = named && !file.file.startsWith(file.scene_name) ? ` · ${file.scene_name}` : '';
  return (
    <li data-state={file.state} data-testid="file">
      <span className="file-name">{file.file}</span>
      <span className="file-off">
        {!isOnItsWay(file) && (
          <Tooltip title="Take it off the list">
            <IconButton size="small" aria-label={`Take ${file.file} off the list`} onClick={() => forget.mutate(file.id)}>
              ✕
            </IconButton>
          </Tooltip>
        )}
      </span>
      <span className="file-told" role="status" title={file.worker ? `on ${file.worker}` : undefined}>
        {howFar(file, workers)}
        <span className="soft">{`${of} · frames ${file.frames[0]} to ${file.frames[1]}${from} · ${clock(file.asked_at)}`}</span>
      </span>
      <span className="file-acts">
        {isOnItsWay(file) && (
          <Button variant="outlined" size="small" onClick={() => stop.mutate(file.id)}>
            Stop
          </Button>
        )}
        {file.there && (
          <Button variant="outlined" size="small" onClick={onReport}>
            Report
          </Button>
        )}
        {file.there && (
          <Button variant="outlined" size="small" component="a" href={contentOf(file.id)} download={file.file}>
            Save
          </Button>
        )}
        {(file.state === 'failed' || file.state === 'stopped') && (
          <Button variant="outlined" size="small" onClick={() => again.mutate(file.id)}>
            Again
          </Button>
        )}
      </span>
      {file.state === 'running' && <progress aria-label={`How far ${file.file} is`} value={file.reached} />}
      {wrong && <span className="wrong">{wrong.message}</span>}
    </li>
  );
}
