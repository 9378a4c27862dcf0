import { Alert, Button, IconButton, Menu, MenuItem, Snackbar } from '@mui/material';
import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useRef, useState } from 'react';
import { api } from '../api/client';
import type { Listed, Space } from '../api/types';
import { ModeButton } from '../bench/Bar';
import { beginGuide } from '../bench/guide/guide-state';
import { rateOf } from '../scene/rate';
import { LivingPicture } from '../miniature/Picture';
import { FilesButton } from '../files/Files';
import { Link, go } from '../route';
import './patternbook.css';

interface Told {
  text: string;
  undo?: () => void;
}

/** The home page: scenes as living miniatures. */
export function PatternBook() {
  const [search, setSearch] = useState('');
  const sought = useDeferredValue(search.trim());
  const scenes = useInfiniteQuery({
    queryKey: ['scenes', sought],
    queryFn: ({ pageParam }) => api.scenes(sought, pageParam),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.more,
    placeholderData: keepPreviousData,
  });
  const [told, setTold] = useState<Told | null>(null);
  const finder = useRef<HTMLInputElement>(null);
  const file = useRef<HTMLInputElement>(null);
  useEffect(() => {
    document.title = 'Pattern book · Zickzack';
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'f') {
        finder.current?.focus();
        event.preventDefault();
      }
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);
  const trouble = (error: Error) => setTold({ text: error.message });
  const create = useMutation({ mutationFn: (space: Space) => api.create(space === 'flat' ? 'New flat scene' : 'New scene', space), onSuccess: ({ id }) => go(`/bench/${id}`), onError: trouble });
  const bring = useMutation({ mutationFn: async (file: File) => api.bringIn(await file.text()), onSuccess: ({ id }) => go(`/bench/${id}`), onError: trouble });
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const found = scenes.data?.pages.flatMap((page) => page.scenes) ?? [];
  const settled = scenes.data && !scenes.isPlaceholderData;
  return (
    <div className="page">
      <header className="bar">
        <h1>Zickzack</h1>
        <span className="note">Pattern book</span>
        <span className="gap" />
        <span className="finder">
          <input ref={finder} value={search} placeholder="find a scene" aria-label="Find a scene" onChange={(event) => setSearch(event.target.value)} />
          <span className="mono soft">Ctrl F</span>
        </span>
        <Button variant="outlined" onClick={() => file.current?.click()}>
          Bring in
        </Button>
        <input
          ref={file}
          type="file"
          hidden
          accept=".json,application/json"
          aria-label="Scene file"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            if (chosen) bring.mutate(chosen);
            event.target.value = '';
          }}
        />
        <FilesButton />
        <ModeButton />
        <NewScene
          onCreate={(space) => create.mutate(space)}
          onGuide={() => {
            beginGuide();
            create.mutate('deep');
          }}
        />
      </header>
      <main className="book">
        {scenes.error && <p className="wrong">{scenes.error.message}</p>}
        {settled && found.length === 0 && (
          <p className="book-empty">{sought === '' ? 'No scenes yet. Make one with “New scene”, or bring in a scene file.' : `No scene is called “${sought}”.`}</p>
        )}
        <ul className="patterns">
          {found.map((scene) => (
            <Pattern key={scene.id} scene={scene} onTold={setTold} />
          ))}
        </ul>
        {scenes.hasNextPage && (
          <p className="book-more">
            <Button variant="outlined" disabled={scenes.isFetchingNextPage} onClick={() => void scenes.fetchNextPage()}>
              More scenes
            </Button>
          </p>
        )}
        <Starters words={words} onTrouble={trouble} />
      </main>
      <Snackbar open={told !== null} autoHideDuration={10000} onClose={(_, reason) => reason !== 'clickaway' && setTold(null)} anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }}>
        <Alert
          severity={told?.undo ? 'success' : 'error'}
          icon={false}
          variant="outlined"
          className="message"
          sx={{ bgcolor: 'background.paper', color: 'text.primary' }}
          action={
            told?.undo ? (
              <Button variant="outlined" onClick={told.undo}>
                Undo
              </Button>
            ) : undefined
          }
        >
          {told?.text}
        </Alert>
      </Snackbar>
    </div>
  );
}

function NewScene({ onCreate, onGuide }: { onCreate: (space: Space) => void; onGuide: () => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const choose = (what: () => void) => {
    setAnchor(null);
    what();
  };
  return (
    <>
      <Button variant="contained" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        New scene
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem onClick={() => choose(() => onCreate('deep'))}>Deep · in space</MenuItem>
        <MenuItem onClick={() => choose(() => onCreate('flat'))}>Flat · in the picture</MenuItem>
        <MenuItem onClick={() => choose(onGuide)}>Guided start</MenuItem>
      </Menu>
    </>
  );
}

/** Small working scenes to begin from, as outcomes. */
function Starters({ words, onTrouble }: { words: string[]; onTrouble: (error: Error) => void }) {
  const starters = useQuery({ queryKey: ['starters'], queryFn: api.starters, staleTime: Infinity });
  const begin = useMutation({ mutationFn: api.begin, onSuccess: ({ id }) => go(`/bench/${id}`), onError: onTrouble });
  const found = (starters.data ?? []).filter((starter) => words.every((word) => `${starter.title} ${starter.help}`.toLowerCase().includes(word)));
  if (found.length === 0) return null;
  return (
    <section className="starters" aria-label="Starters">
      <h2>Begin from</h2>
      <ul className="patterns">
        {found.map((starter) => (
          <li key={starter.id} className="pattern starter">
            <button type="button" className="pattern-picture" aria-label={`Begin from ${starter.title}`} disabled={begin.isPending} onClick={() => begin.mutate(starter.id)}>
              <LivingPicture living={starter.living} flat={starter.space === 'flat'} seconds={starter.frames / rateOf(starter.fps)} width={WIDTH} height={STARTER_HEIGHT} />
            </button>
            <div className="pattern-text">
              <span className="pattern-name">{starter.title}</span>
            </div>
            <p className="pattern-note soft">{starter.help}</p>
          </li>
        ))}
      </ul>
    </section>
  );
}

const WIDTH = 290;
const HEIGHT = 148;
const STARTER_HEIGHT = 112;

function Pattern({ scene, onTold }: { scene: Listed; onTold: (told: Told | null) => void }) {
  const queries = useQueryClient();
  // One that nobody looks at any more is not waited for.
  const living = useQuery({ queryKey: ['miniature', scene.id, scene.revision], queryFn: ({ signal }) => api.miniature(scene.id, signal) });
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const renew = () => queries.invalidateQueries({ queryKey: ['scenes'] });
  const trouble = (error: Error) => onTold({ text: error.message });
  const duplicate = useMutation({ mutationFn: () => api.duplicate(scene.id), onSuccess: renew, onError: trouble });
  const remove = useMutation({
    mutationFn: () => api.remove(scene.id),
    onError: trouble,
    onSuccess: () => {
      void renew();
      onTold({
        text: `“${scene.name}” was deleted.`,
        undo: () => {
          onTold(null);
          api.restore(scene.id).then(renew, trouble);
        },
      });
    },
  });
  const [naming, setNaming] = useState<string | null>(null);
  // The field comes when the menu is gone, which gives the focus back to its button first.
  const wishes = useRef(false);
  const rename = useMutation({ mutationFn: (name: string) => api.rename(scene.id, name), onSuccess: renew, onError: trouble });
  const keepName = () => {
    const wanted = naming?.trim();
    setNaming(null);
    if (wanted && wanted !== scene.name) rename.mutate(wanted);
  };
  const act = (what: () => unknown) => {
    setAnchor(null);
    what();
  };
  const picture = living.data;
  return (
    <li className="pattern">
      <Link to={`/bench/${scene.id}`} className="pattern-picture" label={`Open ${scene.name}`}>
        {picture && <LivingPicture living={picture} flat={scene.space === 'flat'} seconds={scene.frames / rateOf(scene.fps)} width={WIDTH} height={HEIGHT} />}
        {living.error && <span className="pattern-wrong">{living.error.message}</span>}
      </Link>
      <div className="pattern-text">
        {naming === null ? (
          <Link to={`/bench/${scene.id}`} className="pattern-name">
            {scene.name}
          </Link>
        ) : (
          <input
            className="pattern-name"
            aria-label={`New name of ${scene.name}`}
            autoFocus
            value={naming}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setNaming(event.target.value)}
            onBlur={keepName}
            onKeyDown={(event) => {
              if (event.key === 'Enter') event.currentTarget.blur();
              if (event.key === 'Escape') setNaming(null);
            }}
          />
        )}
        <IconButton size="small" aria-label={`More for ${scene.name}`} aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
          ⋯
        </IconButton>
        <Menu
          anchorEl={anchor}
          open={anchor !== null}
          onClose={() => setAnchor(null)}
          slotProps={{
            transition: {
              onExited: () => {
                if (wishes.current) setNaming(scene.name);
                wishes.current = false;
              },
            },
          }}
        >
          <MenuItem onClick={() => act(() => (wishes.current = true))}>Rename</MenuItem>
          <MenuItem onClick={() => act(() => duplicate.mutate())}>Duplicate</MenuItem>
          <MenuItem component="a" href={`/api/scenes/${scene.id}/file`} onClick={() => setAnchor(null)}>
            Save as file
          </MenuItem>
          <MenuItem onClick={() => act(() => remove.mutate())}>Delete</MenuItem>
        </Menu>
      </div>
      <p className="pattern-note">
        <span className="soft">{picture ? summary(picture.things, picture.contacts, scene.frames) : ''}</span>
        {picture && picture.things > 0 && <span className={picture.closes ? 'closes' : 'soft'}>{picture.closes ? 'closes' : 'ends'}</span>}
      </p>
    </li>
  );
}

function summary(things: number, contacts: number, frames: number): string {
  if (things === 0) return 'nothing moves yet';
  const some = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;
  return [some(things, 'thing'), contacts > 0 ? some(contacts, 'contact') : '', `${frames} frames`].filter(Boolean).join(' · ');
}
