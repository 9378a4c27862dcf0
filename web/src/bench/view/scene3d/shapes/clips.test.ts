import { AnimationMixer, Matrix4, Mesh, SkinnedMesh, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import kite from '../../../../../../demo/kite.glb?inline';
import moth from '../../../../../../demo/moth.glb?inline';
import played from '../../../../../../formats/tests/fixtures/played.json';
import type { PosesOfClips } from '../../../../api/types';
import { CORNER, assembled, boneAt, readPoses, rowAt } from './clips';

type Moment = (typeof played)['moth'][number];

const read = async (inline: string) => {
  const bytes = Uint8Array.from(atob(inline.slice(inline.indexOf(',') + 1)), (letter) => letter.charCodeAt(0));
  return new GLTFLoader().parseAsync(bytes.buffer, '');
};

const matrix = (numbers: number[]): Matrix4 => new Matrix4().fromArray(numbers);

/** Poses of one moment as a table of a single row. */
function tableOf(moment: Moment, skins: number[], nodes: number[]): { header: PosesOfClips; numbers: Float32Array } {
  const rows = moment.bones.flatMap((bone) => [0, 1, 2].flatMap((row) => [0, 1, 2, 3].map((column) => bone[4 * column + row] ?? 0)));
  return { header: { rows: [0], layers: 1, between: 16, bones: moment.bones.length, skins, nodes, around: [[-1, -1, -1], [1, 1, 1]], error: 0 }, numbers: Float32Array.from(rows) };
}

// The core computed these numbers, and is held to the same file.
describe.each([
  ['moth', moth, played.moth, [], [0, 1, 2, 3, 4]],
  ['kite', kite, played.kite, [0], [0]],
] as [string, string, Moment[], number[], number[]][])('clips of the %s', (_, inline, moments, skins, nodes) => {
  it('bring joints and corners where the player of the picture library brings them', async () => {
    const file = await read(inline);
    const mixer = new AnimationMixer(file.scene);
    for (const moment of moments) {
      mixer.stopAllAction();
      const clip = file.animations.find((each) => each.name === moment.clip);
      if (!clip) throw new Error(moment.clip);
      mixer.clipAction(clip).reset().play();
      mixer.setTime(moment.seconds);
      file.scene.updateMatrixWorld(true);
      for (const [object, { nodes: node }] of file.parser.associations) {
        const wanted = node === undefined ? undefined : moment.nodes[node];
        // A mesh of several parts stands in a group that is its node.
        if (!wanted || !('matrixWorld' in object)) continue;
        (object as Mesh).matrixWorld.elements.forEach((number, i) => expect(Math.abs(number - (wanted[i] ?? NaN)), `${moment.clip} ${moment.seconds}`).toBeLessThan(1e-5));
      }
      const { header, numbers } = tableOf(moment, skins, nodes);
      const ours = assembled(file, header, numbers, '+x', '+y');
      let index = 0;
      file.scene.traverse((object) => {
        if (!(object instanceof Mesh)) return;
        const mesh = object as Mesh;
        const geometry = ours.parts[index]?.geometry;
        index += 1;
        const [stands, theirs] = [new Vector3(), new Vector3()];
        const count = mesh.geometry.getAttribute('position').count;
        for (let corner = 0; corner < count; corner += 1) {
          theirs.fromBufferAttribute(mesh.geometry.getAttribute('position'), corner);
          if (mesh instanceof SkinnedMesh) mesh.applyBoneTransform(corner, theirs);
          theirs.applyMatrix4(mesh.matrixWorld);
          stands.fromBufferAttribute(geometry?.getAttribute('position') ?? mesh.geometry.getAttribute('position'), corner);
          // In its thing the model's box of two metres is one long.
          expect(stands.multiplyScalar(2).distanceTo(theirs), `${moment.clip} ${moment.seconds} ${corner}`).toBeLessThan(1e-5);
        }
      });
    }
  });

  it('has every corner hang on bones that are there, wholly', async () => {
    const file = await read(inline);
    const moment = moments[0];
    if (!moment) throw new Error('none');
    const { header, numbers } = tableOf(moment, skins, nodes);
    for (const { geometry } of assembled(file, header, numbers, '+x', '+y').parts) {
      const [bones, weights] = [geometry.getAttribute(CORNER.bones), geometry.getAttribute(CORNER.weights)];
      for (let corner = 0; corner < bones.count; corner += 1) {
        const whole = [0, 1, 2, 3].reduce((sum, i) => sum + weights.getComponent(corner, i), 0);
        expect(whole).toBeCloseTo(1, 5);
        for (let i = 0; i < 4; i += 1) expect(bones.getComponent(corner, i)).toBeLessThan(header.bones);
      }
    }
  });
});

it('a part of a cycle lies among rows as far as it is between them', () => {
  const rows = [0, 0.1, 0.5, 0.75, 1];
  expect(rowAt(rows, 0)).toBe(0);
  expect(rowAt(rows, 0.1)).toBe(1);
  expect(rowAt(rows, 0.3)).toBeCloseTo(1.5, 12);
  expect(rowAt(rows, 0.999999)).toBeCloseTo(4, 4);
  for (let phase = 0; phase < 1; phase += 0.013) {
    const at = rowAt(rows, phase);
    const below = Math.floor(at);
    const [from, to] = [rows[below] ?? NaN, rows[Math.min(below + 1, rows.length - 1)] ?? NaN];
    expect(from + (at - below) * (to - from)).toBeCloseTo(phase, 12);
  }
});

it('poses are read as they were written', () => {
  const header: PosesOfClips = { rows: [0, 1], layers: 1, between: 16, bones: 1, skins: [], nodes: [0], around: [[0, 0, 0], [1, 1, 1]], error: 0 };
  let text = JSON.stringify(header);
  text = text.padEnd(Math.ceil(text.length / 4) * 4);
  const numbers = Float32Array.from({ length: 24 }, (_, i) => i + 0.5);
  const bytes = new Uint8Array(4 + text.length + numbers.byteLength);
  new DataView(bytes.buffer).setUint32(0, text.length, true);
  bytes.set(new TextEncoder().encode(text), 4);
  bytes.set(new Uint8Array(numbers.buffer), 4 + text.length);
  const got = readPoses(bytes.buffer);
  expect(got.header).toEqual(header);
  const second = boneAt(got.numbers, got.header, 0, 1, 0);
  expect(second.elements.slice(12, 15)).toEqual([15.5, 19.5, 23.5]);
  expect(matrix(second.elements).determinant()).toBeCloseTo(second.determinant(), 9);
});
