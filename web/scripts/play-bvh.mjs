// Plays a BVH file with three's own loader and mixer: prints, for each of some seconds, where each joint is, by its name.
import { readFile } from 'node:fs/promises';
import { AnimationMixer, LoopOnce, Vector3 } from 'three';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';

const [path, ...seconds] = process.argv.slice(2);
const { skeleton, clip } = new BVHLoader().parse(await readFile(path, 'utf8'));
const root = skeleton.bones[0];
const mixer = new AnimationMixer(root);
const action = mixer.clipAction(clip).setLoop(LoopOnce);
action.clampWhenFinished = true;
action.play();
const told = seconds.map(Number).map((time) => {
  mixer.setTime(time);
  root.updateMatrixWorld(true);
  return Object.fromEntries(skeleton.bones.filter((bone) => bone.name !== 'ENDSITE').map((bone) => [bone.name, new Vector3().setFromMatrixPosition(bone.matrixWorld).toArray()]));
});
process.stdout.write(JSON.stringify(told));
