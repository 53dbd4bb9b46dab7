// Two judges of a .glb: the Khronos validator, and three.js posing it at given times.
//   node judge.js validate FILE
//   node judge.js pose FILE TIME...   → JSON: for each time, for each mesh {name, rig, vertices}
import fs from 'node:fs';
import validator from 'gltf-validator';

// a stub for textures lets three.js load the file without a browser
globalThis.self = globalThis;
globalThis.ProgressEvent = class {};
globalThis.createImageBitmap = async () => ({ width: 1, height: 1, close() {} });

const [, , what, file, ...times] = process.argv;
const data = fs.readFileSync(file);

if (what === 'validate') {
  const report = await validator.validateBytes(new Uint8Array(data));
  console.log(JSON.stringify(report.issues));
} else {
  const THREE = await import('three');
  const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
  const loader = new GLTFLoader();
  loader.register((parser) => { parser.textureLoader = { load: (url, done) => done(new THREE.Texture()), isImageBitmapLoader: false }; return { name: 'stub' }; });
  const buffer = data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength);
  const gltf = await loader.parseAsync(buffer, '');
  const mixer = new THREE.AnimationMixer(gltf.scene);
  if (gltf.animations.length) mixer.clipAction(gltf.animations[0]).play();
  const out = [];
  for (const time of times.map(Number)) {
    mixer.setTime(time);
    gltf.scene.updateMatrixWorld(true);
    const meshes = [];
    gltf.scene.traverse((node) => {
      if (!node.isSkinnedMesh) return;
      node.skeleton.update();
      const position = node.geometry.attributes.position;
      const vertices = [];
      const v = new THREE.Vector3();
      for (let k = 0; k < position.count; k += 1) {
        node.getVertexPosition(k, v); // morph targets, then bones
        vertices.push(v.x, v.y);
      }
      meshes.push({ name: node.name, rig: node.userData.rig_vertices, vertices });
    });
    out.push(meshes);
  }
  console.log(JSON.stringify(out));
}
