// Messages of the live socket as the server writes them, from their description alone (kunstgriff/evaluate/frame.py).

const LETTERS = new Map([
  [Float32Array, 'f32'],
  [Uint32Array, 'u32'],
  [Uint8Array, 'u8'],
]);

export function message(serial, frame, [revision, facing], sections) {
  const entries = Object.entries(sections);
  let at = 20 + 24 * entries.length;
  const size = at + entries.reduce((sum, [, numbers]) => sum + numbers.byteLength, 0);
  const buffer = new ArrayBuffer(size);
  const view = new DataView(buffer);
  [serial, frame, revision, facing, entries.length].forEach((one, k) => view.setUint32(4 * k, one, true));
  entries.forEach(([name, numbers], k) => {
    const entry = 20 + 24 * k;
    new Uint8Array(buffer, entry, 12).set(new TextEncoder().encode(name));
    new Uint8Array(buffer, entry + 12, 4).set(new TextEncoder().encode(LETTERS.get(numbers.constructor)));
    view.setUint32(entry + 16, at, true);
    view.setUint32(entry + 20, numbers.length, true);
    new Uint8Array(buffer, at, numbers.byteLength).set(new Uint8Array(numbers.buffer, 0, numbers.byteLength));
    at += numbers.byteLength;
  });
  return buffer;
}
