import assert from 'node:assert/strict';
import { test } from 'node:test';

const { meant, seenAs } = await import('./static/bench/facings/telling.js');

const QUANTITIES = {
  turn: { mirrored: -1 },
  'move.x': { mirrored: -1 },
  'move.y': { mirrored: 1 },
  'lever.x': { mirrored: -1 },
};
const FRONT = { mirrored: false, flipped: [], otherSides: { b1: 'b2', b2: 'b1' }, oneWay: ['k1.lever.x'] };
const POSE = { 'b1.turn': 20, 'b1.move.y': 4, 'b3.move.x': -6, 'k1.lever.x': 0.5 };

test('a pose is seen on the first facing as it is told', () => {
  assert.deepEqual(seenAs(POSE, FRONT, QUANTITIES), POSE);
});

test('what is flipped on a facing turns the other way round there, all else does not', () => {
  const back = { ...FRONT, flipped: ['b1'] };
  assert.deepEqual(seenAs(POSE, back, QUANTITIES), { ...POSE, 'b1.turn': -20 });
});

test('in a mirror each side does what the other did; one way levers stay', () => {
  const seen = seenAs(POSE, { ...FRONT, mirrored: true }, QUANTITIES);
  assert.deepEqual(seen, { 'b2.turn': -20, 'b2.move.y': 4, 'b3.move.x': 6, 'k1.lever.x': 0.5 });
});

test('what is seen on any facing is told as it was meant', () => {
  for (const mirrored of [false, true])
    for (const flipped of [[], ['b1'], ['b1', 'b2'], ['b2', 'b3']]) {
      const there = { ...FRONT, mirrored, flipped };
      assert.deepEqual(meant(seenAs(POSE, there, QUANTITIES), there, QUANTITIES), POSE);
    }
});
