import assert from 'node:assert/strict';
import { test } from 'node:test';
import { message } from './frames.js';

const { unpack, unpackFrame } = await import('./static/bench/page/buffers.js');

test('a frame is read by the names of its sections, and one more breaks nothing', () => {
  const read = unpackFrame(
    message(7, 3, [42, 5], {
      matrices: Float32Array.of(1, 0, 0, 1, 5, 6),
      wind: Float32Array.of(0.5),
      order: Uint32Array.of(2, 0, 1),
      colours: Uint8Array.of(255, 0, 7),
    }),
  );
  assert.deepEqual([read.serial, read.frame, read.revision], [7, 3, '42.5']);
  assert.deepEqual([...read.matrices], [1, 0, 0, 1, 5, 6]);
  assert.deepEqual([...read.order], [2, 0, 1]);
  assert.deepEqual([...read.colours], [255, 0, 7]);
  assert.equal(read.vertices, undefined);
});

test('geometry is read by its header: type, shape, place', () => {
  const rest = Float32Array.of(1, 2, 3, 4);
  const faces = Uint32Array.of(0, 1, 2);
  const header = {
    rest: { dtype: 'float32', shape: [2, 2], offset: 0 },
    indices: { dtype: 'uint32', shape: [1, 3], offset: 16 },
  };
  let told = JSON.stringify(header);
  told += ' '.repeat((4 - (told.length % 4)) % 4);
  const bytes = new Uint8Array(4 + told.length + 28);
  new DataView(bytes.buffer).setUint32(0, told.length, true);
  bytes.set(new TextEncoder().encode(told), 4);
  bytes.set(new Uint8Array(rest.buffer), 4 + told.length);
  bytes.set(new Uint8Array(faces.buffer), 4 + told.length + 16);
  const read = unpack(bytes.buffer);
  assert.deepEqual([...read.rest], [1, 2, 3, 4]);
  assert.deepEqual([...read.indices], [0, 1, 2]);
});
