// Reading the server's packed arrays (studio/bench/packing.py and live.py).

const KINDS = { float32: Float32Array, float64: Float64Array, uint32: Uint32Array, int32: Int32Array, uint8: Uint8Array };

export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const arrays = {};
  for (const [name, { dtype, shape, offset }] of Object.entries(header)) {
    const size = shape.reduce((a, b) => a * b, 1);
    arrays[name] = new KINDS[dtype](buffer, 4 + length + offset, size);
  }
  return arrays;
}

export const NO_FRAME = 0xffffffff;
export const COLOURS = 0xfffffffe;

export function unpackFrame(buffer) {
  const [serial, frame, revision, bones, vertices] = new Uint32Array(buffer, 0, 5);
  if (frame === COLOURS) return { serial, frame, revision, start: bones, colours: new Uint8Array(buffer, 20, vertices * 4) };
  return {
    serial, frame, revision,
    matrices: new Float32Array(buffer, 20, bones * 6),
    vertices: new Float32Array(buffer, 20 + bones * 24, vertices * 2),
    switched: buffer.slice(20 + bones * 24 + vertices * 8), // how far switches are on, then the order items are painted in
  };
}
