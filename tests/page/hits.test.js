import assert from 'node:assert/strict';
import { beforeEach, test } from 'node:test';

const { carried, restMatrices, scene, setScene, triangleAt, vertex } = await import('./static/bench/page/scene.js');
const { partsAt } = await import('./static/bench/sheet/picking.js');

const SQUARE = Float32Array.of(0, 0, 10, 0, 10, 10, 0, 10);
const item = (part, picture, first) => ({ part, picture, variant: 'full', first, count: 6 });

beforeEach(() => {
  const geometry = { rest: SQUARE, uv: SQUARE.map((one) => one / 10), indices: Uint32Array.of(0, 1, 2, 0, 2, 3) };
  const bones = [{ id: 'b1' }, { id: 'b2' }];
  setScene({ revision: 4, figure: { bones }, blocks: { p1: [0, 4] } }, geometry);
});

test('a scene begins at rest, with every bone where it was drawn', () => {
  assert.deepEqual([...restMatrices(1)], [1, 0, 0, 1, 0, 0]);
  assert.deepEqual(carried('b2', [3, 4]), [3, 4]);
  scene.matrices.set([0, 1, -1, 0, 5, 0], 6);
  assert.deepEqual(carried('b2', [3, 4]), [1, 3]);
  assert.deepEqual(vertex(2), [10, 10]);
});

test('the triangle under a point is found with the shares of its corners', () => {
  const hit = triangleAt(item('p1', 'x', 0), [7.5, 2.5]);
  assert.deepEqual(hit.corners, [0, 1, 2]);
  assert.deepEqual(hit.shares, [0.25, 0.5, 0.25]);
  assert.equal(triangleAt(item('p1', 'x', 0), [11, 2]), null);
});

test('what is in front is hit first, and only where its picture is painted', async () => {
  const painted = { solid: () => 255, hole: (x) => (x < 5 ? 0 : 255) };
  globalThis.fetch = async (url) => ({ blob: async () => url.match(/pictures\/(\w+)\.png/)[1] });
  globalThis.createImageBitmap = async (name) => ({ width: 10, height: 10, name });
  globalThis.OffscreenCanvas = class {
    constructor(width, height) {
      Object.assign(this, { width, height });
    }
    getContext() {
      const context = {
        canvas: this,
        drawImage: (bitmap) => {
          context.name = bitmap.name;
        },
        getImageData: (x) => ({ data: [0, 0, 0, painted[context.name](x)] }),
      };
      return context;
    }
  };
  const items = [item('back', 'solid', 0), item('front', 'hole', 0), { ...item('cover', 'solid', 0), variant: 'fold' }];
  assert.deepEqual(await partsAt(items, [8, 2]), ['front', 'back']);
  assert.deepEqual(await partsAt(items, [2, 1]), ['back']);
  assert.deepEqual(await partsAt(items, [20, 20]), []);
});
