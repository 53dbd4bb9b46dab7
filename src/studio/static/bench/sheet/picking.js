// Which part lies under the pointer: front to back, by triangle and by the picture's own alpha.

import { scene, triangleAt } from '../page/scene.js';

const alphas = new Map();

async function alphaOf(digest) {
  if (!alphas.has(digest)) {
    const blob = await (await fetch(`/figures/pictures/${digest}.png`)).blob();
    const bitmap = await createImageBitmap(blob);
    const canvas = new OffscreenCanvas(bitmap.width, bitmap.height);
    const context = canvas.getContext('2d', { willReadFrequently: true });
    context.drawImage(bitmap, 0, 0);
    alphas.set(digest, context);
  }
  return alphas.get(digest);
}

/** The parts under a point of the figure, the one in front first. */
export async function partsAt(items, point) {
  const found = [];
  for (const item of [...items].reverse()) {
    if (item.variant !== 'full') continue;
    const hit = triangleAt(item, point);
    if (!hit) continue;
    const uv = scene.geometry.uv;
    const at = (axis) => hit.corners.reduce((sum, corner, k) => sum + hit.shares[k] * uv[2 * corner + axis], 0);
    const context = await alphaOf(item.picture);
    const x = Math.floor(at(0) * context.canvas.width);
    const y = Math.floor(at(1) * context.canvas.height);
    if (x < 0 || y < 0 || x >= context.canvas.width || y >= context.canvas.height) continue;
    if (context.getImageData(x, y, 1, 1).data[3] > 20) found.push(item.part);
  }
  return [...new Set(found)];
}

export async function partAt(items, point) {
  return (await partsAt(items, point))[0] || null;
}
