import { Button } from '@mui/material';
import { useRef } from 'react';
import { api, Refused } from '../../../api/client';
import type { Op } from '../../../api/types';
import { put } from '../../../scene/edits';
import { say, useScene } from '../../../scene/store';
import { useLive } from '../../live';
import { useSchemas } from '../../schemas';
import type { ValueProps } from '../Row';

/** Files that may be chosen for a kind of media. */
const endings: Record<string, string> = { 'image/svg+xml': '.svg,image/svg+xml', 'text/csv': '.csv,.txt,text/csv,text/plain', 'model/gltf-binary': '.glb,.bvh,model/gltf-binary', picture: '.png,.jpg,.jpeg,.webp,image/png,image/jpeg,image/webp' };

/** Brings a file into the scene: kept by the server first, then named in the document by `ops`. */
export function useBringIn(): (file: File, media: string, ops: (name: string) => Op[]) => Promise<void> {
  const live = useLive();
  return async (file, media, ops) => {
    try {
      const type = media === 'picture' ? file.type || 'image/png' : media;
      const kept = await api.keepFile(type, file);
      // Another file of the same name keeps it.
      const known = useScene.getState().document?.assets ?? {};
      let name = file.name;
      for (let number = 2; known[name] && known[name]?.hash !== kept.hash; number += 1) name = file.name.replace(/(\.[^.]*)?$/, (ending) => `-${number}${ending}`);
      live.edit(`bring in ${name}`, [put(['assets', name], { hash: kept.hash, media: kept.media }), ...ops(name)]);
      say(`${file.name}: ${kept.facts.join(', ')}.`, 'told');
    } catch (error) {
      say(error instanceof Refused ? error.message : 'The file could not be read.');
    }
  };
}

/** A button that brings in a file. */
export function FileButton({ label, media, name, onFile }: { label: string; media: string; name: string; onFile: (file: File) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button variant="outlined" fullWidth className="file" onClick={() => input.current?.click()}>
        {name || 'Choose a file'}
      </Button>
      <input
        ref={input}
        type="file"
        hidden
        accept={endings[media]}
        aria-label={label}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) onFile(file);
          event.target.value = '';
        }}
      />
    </>
  );
}

export function AssetField({ nodes, param, value, media }: ValueProps & { media: string }) {
  const bring = useBringIn();
  const live = useLive();
  const picking = useScene((state) => state.picking);
  const types = useScene((state) => nodes.map((node) => state.document?.nodes?.[node]?.type).join());
  const schemas = useSchemas();
  // What says its own way ahead has no nose to be picked.
  const sided = types.split(',').every((type) => schemas.find((schema) => schema.name === type)?.params.some((other) => other.name === 'nose'));
  const model = media === 'model/gltf-binary' && String(value) !== '' && sided;
  const sides = picking === 'nose' || picking === 'top';
  return (
    <>
      <FileButton label={param.label} media={media} name={String(value)} onFile={(file) => void bring(file, media, (name) => nodes.map((node) => put(['nodes', node, 'params', param.name], name)))} />
      {media === 'picture' && value !== '' && (
        <Button variant="outlined" onClick={() => live.edit('take the picture away', nodes.map((node) => put(['nodes', node, 'params', param.name], '')))}>
          No picture
        </Button>
      )}
      {model && (
        <Button variant="outlined" aria-pressed={sides} onClick={() => useScene.setState({ picking: sides ? null : 'nose' })}>
          {sides ? 'Done picking' : 'Pick nose and top'}
        </Button>
      )}
    </>
  );
}
