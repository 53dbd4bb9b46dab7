import assert from 'node:assert/strict';
import { test } from 'node:test';

const { Camera } = await import('./static/bench/sheet/camera.js');

const close = (one, other) =>
  one.forEach((value, k) => assert.ok(Math.abs(value - other[k]) < 1e-9, `${one} ${other}`));

function camera({ width = 800, height = 600, turn = 0, mirrored = false } = {}) {
  const one = new Camera();
  Object.assign(one, { window: [width, height], turn, mirrored });
  one.resize(width, height, width);
  return one;
}

test('what is under the pointer stays there while zooming, whatever the zoom', () => {
  const one = camera();
  one.fit({ width: 400, height: 300, standing_point: [200, 300] });
  for (const factor of [1.3, 0.2, 7, 1e-9, 1e9]) {
    const before = one.toFigure(123, 456);
    one.zoomAround(123, 456, factor);
    close(one.toFigure(123, 456), before);
    assert.ok(one.scale >= 0.02 && one.scale <= 32);
  }
});

test('to the screen and back is where one was', () => {
  const one = camera();
  one.pan(31, -17);
  one.zoomAround(10, 20, 2.5);
  close(one.toFigure(...one.toScreen(12.5, -99)), [12.5, -99]);
  close(one.toScreen(...one.origin), [0, 0]);
});

test('a sheet that is fitted is all in sight, below the tools and above the hints', () => {
  for (const sheet of [
    { width: 4000, height: 300 },
    { width: 100, height: 5000 },
  ]) {
    const one = camera();
    one.fit({ ...sheet, standing_point: [10, 20] });
    const [left, top] = one.toScreen(-10, -20);
    const [right, bottom] = one.toScreen(sheet.width - 10, sheet.height - 20);
    assert.ok(left >= 0 && right <= 800 && top >= 40 && bottom <= 560, `${[left, top, right, bottom]}`);
  }
});

test('turned and mirrored views point where they show', () => {
  const one = camera({ turn: Math.PI / 2, mirrored: true });
  // a quarter turn clockwise, then mirrored: what is right of the middle was above it
  close(one.fromWindow(500, 300), [400, 400]);
  close(one.fromWindow(400, 300), [400, 300]);
});

test('a column that comes at the side leaves what is shown where it is on the screen', () => {
  const one = camera();
  one.fit({ width: 400, height: 300, standing_point: [0, 0] });
  const seen = one.toScreen(50, 60)[0] + 0;
  one.resize(600, 600, 800); // 200 px less on the left
  assert.ok(Math.abs(one.toScreen(50, 60)[0] + 200 - seen) < 1e-9);
});

test('a box that is looked at lies in the middle with room around it', () => {
  const one = camera();
  one.look([100, 100, 120, 180]);
  close(one.toScreen(110, 140), [400, 300]);
  assert.ok(one.scale <= 4);
});
