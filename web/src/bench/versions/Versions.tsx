import { Button, IconButton, Menu, MenuItem } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api } from '../../api/client';
import type { Comparison, Version } from '../../api/types';
import { clock } from '../../scene/clock';
import { say, select, selectThing, useScene } from '../../scene/store';
import { useLive } from '../live';
import { back } from './back';
import { shownValue, whenMade } from './words';
import './versions.css';

const failed = (error: Error) => say(error.message);

/** States of the scene that were kept under a name. */
export function Versions({ scene }: { scene: string }) {
  const queries = useQueryClient();
  const versions = useQuery({ queryKey: ['versions', scene], queryFn: () => api.versions(scene) });
  const compared = useScene((state) => state.compared);
  const pending = useScene((state) => state.pending.length);
  const [name, setName] = useState('');
  const renew = () => queries.invalidateQueries({ queryKey: ['versions', scene] });
  const keep = useMutation({
    mutationFn: () => api.keepVersion(scene, name.trim() || `Version ${(versions.data?.length ?? 0) + 1}`),
    onSuccess: (version) => {
      void renew();
      setName('');
      say(`“${version.name}” is kept.`, 'told');
    },
    onError: failed,
  });
  return (
    <div className="card-body versions">
      <header>
        <div className="seam-head">
          <h2>Versions</h2>
          <Button variant="outlined" onClick={() => useScene.setState({ aside: null })}>
            Close
          </Button>
        </div>
        <p className="soft">Keep the scene as it is now under a name, to compare with and to go back to.</p>
        <form
          className="keep-version"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate();
          }}
        >
          <span className="field">
            <input aria-label="Name of the version" value={name} placeholder={`Version ${(versions.data?.length ?? 0) + 1}`} onChange={(event) => setName(event.target.value)} />
          </span>
          <Button type="submit" variant="contained" disabled={keep.isPending || pending > 0}>
            Keep
          </Button>
        </form>
        {pending > 0 && <p className="soft">Changes are still on their way: a version can be kept when all are kept.</p>}
      </header>
      {versions.error && <p className="wrong">{versions.error.message}</p>}
      {versions.data?.length === 0 && (
        <section>
          <p className="soft">None yet.</p>
        </section>
      )}
      {versions.data && versions.data.length > 0 && (
        <section aria-label="Kept versions">
          {versions.data.map((version) => (
            <Kept key={version.id} scene={scene} version={version} renew={renew} />
          ))}
        </section>
      )}
      {compared && <Compare scene={scene} version={compared.id} name={compared.name} />}
    </div>
  );
}

function Kept({ scene, version, renew }: { scene: string; version: Version; renew: () => unknown }) {
  const live = useLive();
  const compared = useScene((state) => state.compared?.id === version.id);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState<string | null>(null);
  const rename = useMutation({ mutationFn: (name: string) => api.renameVersion(scene, version.id, name), onSuccess: renew, onError: failed });
  const gone = useMutation({
    mutationFn: () => api.removeVersion(scene, version.id),
    onSuccess: () => {
      if (compared) live.compare(null);
      void renew();
    },
    onError: failed,
  });
  const keepName = () => {
    const wanted = naming?.trim();
    setNaming(null);
    if (wanted && wanted !== version.name) rename.mutate(wanted);
  };
  return (
    <div className={`version${compared ? ' compared' : ''}`}>
      <div className="version-text">
        {naming === null ? (
          <strong>{version.name}</strong>
        ) : (
          <input className="rename" aria-label={`New name of ${version.name}`} autoFocus value={naming} onChange={(event) => setNaming(event.target.value)} onBlur={keepName} onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()} />
        )}
        <span className="soft">{`${whenMade(version.made_at, new Date())} · edit ${version.revision}`}</span>
      </div>
      <Button variant="outlined" aria-pressed={compared} onClick={() => live.compare(compared ? null : { id: version.id, name: version.name })}>
        {compared ? 'End' : 'Compare'}
      </Button>
      <IconButton size="small" aria-label={`More for ${version.name}`} aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        ⋯
      </IconButton>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            setNaming(version.name);
          }}
        >
          Rename
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            gone.mutate();
          }}
        >
          Delete
        </MenuItem>
      </Menu>
    </div>
  );
}

/** What differs between a version and the scene as it is. */
function Compare({ scene, version, name }: { scene: string; version: string; name: string }) {
  const live = useLive();
  const revision = useScene((state) => state.revision);
  const pending = useScene((state) => state.pending.length);
  const found = useQuery({ queryKey: ['compare', scene, version, revision], queryFn: () => api.compareVersion(scene, version), enabled: pending === 0, placeholderData: (before: Comparison | undefined) => before });
  useEffect(() => {
    if (found.error) failed(found.error);
  }, [found.error]);
  const data = found.data;
  if (!data) return null;
  return (
    <section aria-label={`Compared with ${name}`} className="compare">
      <h3>{`Now beside “${name}”`}</h3>
      {data.outputs.map((output) => (
        <p key={output.node} className="use">
          {output.distance < 1e-9 ? (
            <span>{`${output.name} moves the same.`}</span>
          ) : (
            <>
              <span>{`${output.name}: up to `}</span>
              <strong className="mono">{`${output.distance.toPrecision(3)} m`}</strong>
              <span> apart, </span>
              <button
                type="button"
                className="link"
                onClick={() => {
                  selectThing(output.node, output.object);
                  useScene.setState({ aside: 'versions' });
                  clock.stop();
                  clock.seek(output.frame);
                }}
              >
                {`thing ${output.object + 1}, frame ${Number(output.frame.toFixed(2))}`}
              </button>
            </>
          )}
        </p>
      ))}
      {data.differences.length === 0 ? (
        <p className="closes">Nothing differs.</p>
      ) : (
        <>
          <table className="differences">
            <thead>
              <tr>
                <th scope="col">what</th>
                <th scope="col">then</th>
                <th scope="col">now</th>
                <th scope="col">
                  <span className="hidden">take back</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {data.differences.map((difference) => (
                <tr key={difference.at.join('/')}>
                  <th scope="row">
                    {difference.at[0] === 'nodes' && difference.after !== undefined && difference.after !== null ? (
                      <button
                        type="button"
                        className="link"
                        onClick={() => {
                          select(difference.at[1] ?? null);
                          useScene.setState({ aside: 'versions' });
                        }}
                      >
                        {difference.label}
                      </button>
                    ) : (
                      difference.label
                    )}
                  </th>
                  <td className="mono">{shownValue(difference.before, difference.at)}</td>
                  <td className="mono">{shownValue(difference.after, difference.at)}</td>
                  <td>
                    <Button variant="outlined" aria-label={`Copy back ${difference.label}`} title="Copy back" onClick={() => live.edit(`copy back ${difference.label}`, [back(difference)])}>
                      ↶
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <Button variant="outlined" onClick={() => live.edit(`go back to ${name}`, data.back)}>
            {`Go back to “${name}”`}
          </Button>
        </>
      )}
    </section>
  );
}
