// Reading the server's packed arrays (studio/bench/packing.py and live.py).

const KINDS = {
  float32: Float32Array,
  float64: Float64Array,
  uint32: Uint32Array,
  int32: Int32Array,
  uint8: Uint8Array,
};

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

const HEAD = 16; // bytes: serial, frame, revision, facing
const SECTION = 24; // bytes of each entry of the table behind it
const LETTERS = { f32: Float32Array, u32: Uint32Array, u8: Uint8Array };

function text(buffer, start, length) {
  return new TextDecoder().decode(new Uint8Array(buffer, start, length)).replace(/\0+$/, '');
}

/** A message of the live socket: serial, frame, revision, and its sections by name (kunstgriff/evaluate/frame.py). */
export function unpackFrame(buffer) {
  const [serial, frame, revision, facing, count] = new Uint32Array(buffer, 0, 5);
  const message = { serial, frame, revision: facing ? `${revision}.${facing}` : `${revision}` };
  const table = new DataView(buffer, HEAD + 4);
  for (let number = 0; number < count; number += 1) {
    const entry = number * SECTION;
    const name = text(buffer, HEAD + 4 + entry, 12);
    const letters = text(buffer, HEAD + 4 + entry + 12, 4);
    const start = table.getUint32(entry + 16, true);
    message[name] = new LETTERS[letters](buffer, start, table.getUint32(entry + 20, true));
  }
  return message;
}

/** All vertices of a frame that has only `runs` of them (first and count of each), laid over those of the one before. */
export function laidOver(before, frame) {
  const vertices = before.slice();
  let from = 0;
  for (let at = 0; at < frame.runs.length; at += 2) {
    const size = 2 * frame.runs[at + 1];
    vertices.set(frame.vertices.subarray(from, from + size), 2 * frame.runs[at]);
    from += size;
  }
  return vertices;
}
