// Plays a GLB with three's own loader and mixer: prints, for each of some seconds, where the corners are of all that stands by
// itself in its scene, by its name.
import { readFile } from 'node:fs/promises';
import { AnimationMixer, Mesh, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';

const [path, ...seconds] = process.argv.slice(2);
// Pictures need a browser, and nothing here looks at them.
globalThis.self ??= globalThis;
const bytes = await readFile(path);
const loader = new GLTFLoader();
const file = await loader.parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength), '');
const { json, associations } = file.parser;
const nameOf = (object) => json.nodes[associations.get(object)?.nodes]?.name;

const mixer = new AnimationMixer(file.scene);
file.animations.forEach((clip) => mixer.clipAction(clip).play());
const told = [];
for (const time of seconds.map(Number)) {
  mixer.setTime(time);
  file.scene.updateMatrixWorld(true);
  const corners = {};
  for (const top of file.scene.children) {
    const found = (corners[nameOf(top)] ??= []);
    top.traverse((object) => {
      if (!(object instanceof Mesh) && !object.isLine) return;
      const place = new Vector3();
      const count = object.geometry.getAttribute('position').count;
      for (let i = 0; i < count; i += 1) {
        if (object instanceof Mesh) object.getVertexPosition(i, place);
        else place.fromBufferAttribute(object.geometry.getAttribute('position'), i);
        found.push(place.applyMatrix4(object.matrixWorld).toArray());
      }
    });
  }
  told.push(corners);
}
process.stdout.write(JSON.stringify(told));
