import assert from 'node:assert/strict';
import { test } from 'node:test';
import './browser.js';

const { scene } = await import('./static/bench/page/scene.js');
const { engine } = await import('./static/bench/page/engine.js');
const { colliderAt, dragged } = await import('./static/bench/follow/tools/collider.js');

const arm = { id: 'c1', bone: 'b1', start: [0, 0], end: [100, 0], radius: 20 };
const ball = { id: 'c2', bone: 'b1', start: [50, 0], end: [50, 0], radius: 8 };

/** A bone that is carried 10 px to the right and turned by a quarter: what was to the right lies below. */
function posed() {
  scene.matrices = Float32Array.of(0, 1, -1, 0, 10, 0);
  scene.boneIndex = { b1: 0 };
  engine.camera = /** @type {any} */ ({ scale: 1 });
}

test('an end, the rim and the whole of a collider are gripped where its bone carries them', () => {
  posed();
  const grip = (place) => (colliderAt([arm, ball], place) || { grip: null }).grip;
  assert.equal(grip([10, 2]), 'start');
  assert.equal(grip([10, 98]), 'end');
  assert.equal(grip([29, 30]), 'radius');
  assert.equal(grip([10, 30]), 'whole');
  assert.equal(grip([60, 30]), null);
  assert.equal(colliderAt([arm, ball], [10, 50])?.one, ball); // the smaller of two that lie over one another
});

test('what is dragged changes as it is drawn, and no more than that', () => {
  posed();
  const end = dragged({ one: arm, grip: 'end' }, [10, 100], [10, 130]);
  assert.deepEqual([end.start, end.end, end.radius], [[0, 0], [130, 0], 20]);
  const whole = dragged({ one: arm, grip: 'whole' }, [10, 50], [4, 50]);
  assert.deepEqual([whole.start, whole.end, whole.radius], [[0, 6], [100, 6], 20]);
  const rim = dragged({ one: arm, grip: 'radius' }, [30, 50], [45, 50]);
  assert.deepEqual([rim.start, rim.end, rim.radius], [[0, 0], [100, 0], 35]);
  assert.equal(dragged({ one: arm, grip: 'radius' }, [30, 50], [10, 50]).radius, 1);
});
