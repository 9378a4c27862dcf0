import { useEffect, useMemo } from 'react';
import type { KindReport, Scene } from '../../api/types';
import { bodyName } from '../../scene/taken/bodies';
import { useScene } from '../../scene/store';
import type { Shown } from './scene3d/crowd';
import { useSchemas } from '../schemas';
import { useView } from './settings';
import type { Stage } from './scene3d/stage';
import { isVisible } from './visible';

/** Size of things that nothing hands off yet, metres. */
const LOOSE = 0.4;

/** Hashes of the models whose clips kinds play, of those that are bent or walk, and of the pictures on strips. */
function filesOf(kinds: KindReport[], document: Scene | null): Record<string, string> {
  const files = kinds.flatMap(({ animated, bent, walked }) => [animated?.file, bent?.model?.file, bent?.strip?.picture, walked?.file].filter((file): file is string => Boolean(file)));
  return Object.fromEntries(files.map((file) => [file, document?.assets?.[file]?.hash ?? '']));
}

/** Hands what the store holds to the stage. */
export function useFeed(stage: Stage | null): void {
  const schemas = useSchemas();
  const nodes = useScene((state) => state.nodes);
  const document = useScene((state) => state.document);
  const paths = useScene((state) => state.paths);
  const poses = useScene((state) => state.poses);
  const version = useScene((state) => state.posesVersion);
  const looks = useScene((state) => state.looks);
  const bodies = useScene((state) => state.bodies);
  const ends = useScene((state) => state.ends);
  const chosen = useScene((state) => state.chosen);
  const compared = useScene((state) => state.compared);
  const faint = useScene((state) => state.faint);
  const beneath = useMemo(() => compared ?? (faint && { id: '', name: '', paths: {}, poses: faint, traces: null }), [compared, faint]);
  const ghosts = useView((state) => state.ghosts);
  const axes = useView((state) => state.axes);
  const pathAxes = useView((state) => state.pathAxes);
  const marks = useView((state) => state.marks);
  const exposure = useView((state) => state.exposure);
  const goesAlong = useView((state) => state.goesAlong);
  const haze = useView((state) => state.haze);
  const thing = useScene((state) => state.thing);
  const space = document?.space;
  const width = document?.picture?.width ?? 16;
  const height = document?.picture?.height ?? 9;
  const visible = useMemo(() => Object.fromEntries(Object.entries(paths).filter(([node]) => document && isVisible(document, node))), [paths, document]);
  useEffect(() => {
    if (space) stage?.setScene(space === 'flat', { width, height });
  }, [stage, space, width, height]);
  useEffect(() => stage?.setWishes({ ghosts, axes, pathAxes, along: pathAxes, thing, marks, exposure, goesAlong }), [stage, ghosts, axes, pathAxes, thing, marks, exposure, goesAlong]);
  useEffect(() => stage?.setHaze(haze), [stage, haze]);
  useEffect(() => stage?.setPaths(visible, beneath, chosen), [stage, visible, beneath, chosen]);
  useEffect(() => {
    const shown = looks.filter((end) => document && isVisible(document, end.node)).map((end): Shown => {
      const contacts = ends.find((measured) => measured.node === end.node)?.contacts ?? [];
      const params = document?.nodes?.[end.node]?.params ?? {};
      const size = Number(params['size'] ?? 0.5);
      const kind = String(params['thing'] ?? 'arrow');
      const asset = document?.assets?.[String(params['model'] ?? '')];
      const model = kind === 'own model' && asset ? { hash: asset.hash, nose: String(params['nose'] ?? '+x'), top: String(params['top'] ?? '+y') } : null;
      return { node: end.node, kind, size: end.output ? size : LOOSE, contacts, wake: !end.on_path, letter: String(params['letter'] ?? 'Z'), model, kinds: end.kinds, files: filesOf(end.kinds, document), bodies: end.kinds.map((_, of) => bodies[bodyName(end.node, of)] ?? null) };
    });
    stage?.setCrowds(shown, poses, beneath);
  }, [stage, looks, bodies, ends, poses, beneath, document]);
  const surfaces = useMemo(() => schemas.filter((schema) => schema.output === 'surface').map((schema) => schema.name), [schemas]);
  useEffect(() => {
    const shown = Object.entries(document?.nodes ?? {}).filter(([id, node]) => surfaces.includes(node.type) && document && isVisible(document, id));
    stage?.setSurfaces(shown.map(([id]) => ({ lines: nodes[id]?.miniature?.lines ?? [], chosen: chosen.includes(id) })));
  }, [stage, surfaces, nodes, chosen, document]);
  useEffect(() => stage?.come(), [stage, version]);
}
