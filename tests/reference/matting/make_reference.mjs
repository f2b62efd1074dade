// Runs the published graph itself on two made pictures, twice each so that its memory is used, and keeps what comes out.
// node make_matting_reference.mjs MODELS OUT ; needs @tensorflow/tfjs and @tensorflow/tfjs-backend-wasm 4.22.0.
import fs from 'node:fs';
import path from 'node:path';
import { createRequire } from 'node:module';
const require = createRequire(process.cwd() + '/');
const tf = require('@tensorflow/tfjs');
const { setWasmPaths } = require('@tensorflow/tfjs-backend-wasm');
setWasmPaths(path.join(process.cwd(), 'node_modules/@tensorflow/tfjs-backend-wasm/dist/'));
await tf.setBackend('wasm');
await tf.ready();
const [models, out] = process.argv.slice(2);
const topology = JSON.parse(fs.readFileSync(path.join(models, 'rvm.json')));
const weights = fs.readFileSync(path.join(models, 'rvm.bin'));
const model = await tf.loadGraphModel({
  load: async () => ({
    modelTopology: topology.modelTopology,
    weightSpecs: topology.weightsManifest.flatMap((group) => group.weights),
    weightData: weights.buffer.slice(weights.byteOffset, weights.byteOffset + weights.byteLength),
    signature: topology.signature,
  }),
});
for (const { name, height, width, ratio } of [
  { name: 'plain', height: 90, width: 122, ratio: 1 },
  { name: 'refined', height: 120, width: 162, ratio: 0.5 },
]) {
  const pixels = new Float32Array(fs.readFileSync(path.join(out, `${name}.src`)).buffer.slice(0));
  let states = [1, 2, 3, 4].map(() => tf.tensor(0));
  for (const frame of [0, 1]) {
    const src = tf.tensor4d(pixels.slice(frame * height * width * 3, (frame + 1) * height * width * 3), [1, height, width, 3]);
    const [r1i, r2i, r3i, r4i] = states;
    const results = await model.executeAsync(
      { src, r1i, r2i, r3i, r4i, downsample_ratio: tf.tensor(ratio) },
      ['Identity_1', 'Identity', 'Identity_2', 'Identity_3', 'Identity_4', 'Identity_5'],
    );
    states = results.slice(2);
    for (const [what, tensor] of [['pha', results[0]], ['fgr', results[1]], ['r4o', results[5]]]) {
      fs.writeFileSync(path.join(out, `${name}.${frame}.${what}`), Buffer.from((await tensor.data()).buffer));
    }
    console.log(name, frame, results.map((t) => t.shape.join('x')).join(' '));
  }
}
