// What is being shown, apart from Alpine's reactive state: typed arrays of the current revision and frame.

export const scene = {
  geometry: null,
  geometryKey: '',
  revision: '', // with the facing it is seen from: 12, or 12.3
  figure: null,
  blocks: {},
  vertices: null,
  matrices: null,
  boneIndex: {},
};

const IDENTITY = [1, 0, 0, 1, 0, 0];

/** Matrices of so many bones, all at rest. */
export function restMatrices(bones) {
  return Float32Array.from({ length: bones * 6 }, (_, i) => IDENTITY[i % 6]);
}

/** Another state of the figure; where its geometry is the same, what is shown stays as it is posed. */
export function setScene(state, geometry) {
  const reshaped = geometry !== scene.geometry;
  scene.geometry = geometry;
  scene.geometryKey = state.geometry;
  scene.revision = state.seen;
  scene.figure = state.figure;
  scene.blocks = state.blocks;
  scene.boneIndex = Object.fromEntries(state.figure.bones.map((bone, index) => [bone.id, index]));
  if (!reshaped) return;
  scene.vertices = geometry.rest;
  scene.matrices = restMatrices(state.figure.bones.length);
}

/** A point at rest carried by a bone to where it is posed. */
export function carried(boneId, [x, y]) {
  const m = scene.matrices.subarray(scene.boneIndex[boneId] * 6, scene.boneIndex[boneId] * 6 + 6);
  return [m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]];
}

/** The frame (a b c d) of a bone as it is posed; that of the figure itself without one. */
export function frameOf(boneId) {
  const row = boneId ? scene.boneIndex[boneId] * 6 : -1;
  return row < 0 ? [1, 0, 0, 1] : scene.matrices.subarray(row, row + 4);
}

/** A move on the figure as one in a frame (a b c d) that is turned and stretched. */
export function inFrame([a, b, c, d], [x, y]) {
  const area = a * d - b * c || 1;
  return [(d * x - c * y) / area, (a * y - b * x) / area];
}

export function vertex(index) {
  return [scene.vertices[2 * index], scene.vertices[2 * index + 1]];
}

/** Triangle of a draw item under a figure point, as vertex indices and shares, or null. */
export function triangleAt(item, [x, y]) {
  const indices = scene.geometry.indices;
  for (let k = item.first; k < item.first + item.count; k += 3) {
    const [ax, ay] = vertex(indices[k]);
    const [bx, by] = vertex(indices[k + 1]);
    const [cx, cy] = vertex(indices[k + 2]);
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    const v = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area;
    const w = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area;
    if (v >= 0 && w >= 0 && v + w <= 1)
      return { corners: [indices[k], indices[k + 1], indices[k + 2]], shares: [1 - v - w, v, w] };
  }
  return null;
}
