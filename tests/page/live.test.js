import assert from 'node:assert/strict';
import { afterEach, beforeEach, mock, test } from 'node:test';
import { sockets } from './browser.js';
import { message } from './frames.js';

const { Live } = await import('./static/bench/page/live.js');
const { NO_FRAME } = await import('./static/bench/page/buffers.js');

let made;
let told;
const hears =
  (name) =>
  (...given) =>
    told.push([name, ...given]);
const ears = () => ({
  frame: hears('frame'),
  swingFrame: hears('swing'),
  connection: hears('connection'),
  headMoved: hears('head'),
  seamRead: hears('seam'),
  stroke: hears('stroke'),
  said: hears('said'),
});

beforeEach(() => {
  mock.timers.enable({ apis: ['setTimeout'] });
  made = sockets();
  told = [];
});
afterEach(() => mock.timers.reset());

test('one message is on its way and only the newest waits behind it', () => {
  const live = new Live(5, ears());
  assert.equal(made[0].url, 'ws://bench.test/live/5/');
  live.send({ pose: 1 });
  made[0].opens();
  live.send({ pose: 2 });
  live.send({ pose: 3 });
  assert.deepEqual(made[0].sent, [{ serial: 1, pose: 1 }]);
  made[0].onmessage({ data: message(1, NO_FRAME, [9, 0], { vertices: Float32Array.of(1, 2) }) });
  assert.deepEqual(made[0].sent.slice(1), [{ serial: 3, pose: 3 }]);
  assert.equal(told.filter(([name]) => name === 'frame').length, 1);
});

test('a lost socket is opened again, later and later, and what was unanswered is sent anew', () => {
  const live = new Live(5, ears());
  made[0].opens();
  live.send({ pose: 1 });
  made[0].closes();
  assert.match(told.at(-1)[2], /connecting again/);
  mock.timers.tick(300);
  assert.equal(made.length, 2);
  made[1].closes();
  mock.timers.tick(599);
  assert.equal(made.length, 2);
  mock.timers.tick(1);
  assert.equal(made.length, 3);
  made[2].opens();
  assert.deepEqual(made[2].sent, [{ serial: 1, pose: 1 }]);
});

test('signed out or deleted, it says so and stays closed', () => {
  for (const [code, sentence] of [
    [4401, 'You were signed out.'],
    [4404, 'This figure was deleted, perhaps in another tab.'],
  ]) {
    const before = made.length;
    new Live(5, ears());
    made.at(-1).opens();
    made.at(-1).closes(code);
    assert.deepEqual(told.at(-1), ['connection', false, sentence]);
    mock.timers.tick(60_000);
    assert.equal(made.length, before + 1);
  }
});

test('frames of a motion, sentences, seams and new revisions reach who listens', () => {
  const live = new Live(5, ears());
  made[0].opens();
  live.send({ swing: true });
  const hear = (data) => made[0].onmessage({ data });
  hear(message(1, 0, [9, 0], { vertices: Float32Array.of(0, 0) }));
  hear(message(1, 1, [9, 0], { vertices: Float32Array.of(1, 1) }));
  hear(JSON.stringify({ head: 12 }));
  hear(JSON.stringify({ seam: { seen: '9' } }));
  hear(JSON.stringify({ sentence: 'There is no such channel.' }));
  assert.deepEqual(
    told.map(([name]) => name),
    ['connection', 'swing', 'swing', 'head', 'seam', 'said'],
  );
  assert.equal(told[2][1].frame, 1);
  live.send({ pose: 2 });
  assert.equal(made[0].sent.at(-1).pose, 2);
});

test('vertices that are not sent are those of the pose before, on the same socket', () => {
  const live = new Live(5, ears());
  made[0].opens();
  const answered = (serial, sections) => made[0].onmessage({ data: message(serial, NO_FRAME, [9, 0], sections) });
  live.send({ pose: 1 });
  answered(1, { vertices: Float32Array.of(0, 1, 2, 3, 4, 5, 6, 7) });
  live.send({ pose: 2 });
  answered(2, { vertices: Float32Array.of(20, 30, 60, 70), runs: Uint32Array.of(1, 1, 3, 1) });
  live.send({ pose: 3 });
  answered(3, { vertices: new Float32Array(0), runs: new Uint32Array(0) });
  const seen = told.filter(([name]) => name === 'frame').map(([, frame]) => [...frame.vertices]);
  assert.deepEqual(seen[0], [0, 1, 2, 3, 4, 5, 6, 7]);
  assert.deepEqual(seen[1], [0, 1, 20, 30, 4, 5, 60, 70]);
  assert.deepEqual(seen[2], seen[1]);
});
