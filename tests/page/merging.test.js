import assert from 'node:assert/strict';
import { test } from 'node:test';

const { merge, same, steady } = await import('./static/bench/page/merging.js');

/** A thing that counts what is written into it, at any depth. */
function watched(thing, written) {
  return new Proxy(thing, {
    get: (target, key) =>
      target[key] !== null && typeof target[key] === 'object' ? watched(target[key], written) : target[key],
    set(target, key, value) {
      written.push(key);
      target[key] = value;
      return true;
    },
  });
}

const figure = () => ({
  revision: 3,
  undo: null,
  parts: [
    { id: 'p1', name: 'ear', place: [1, 2] },
    { id: 'p2', name: 'tail', place: [3, 4] },
  ],
  chains: { b1: ['b1', 'b2'], b2: ['b2'] },
});

test('a changed name is all that is written', () => {
  const kept = figure();
  const written = [];
  const next = figure();
  next.parts[1].name = 'scut';
  merge(watched(kept, written), next);
  assert.deepEqual(kept, next);
  assert.deepEqual(written, ['name']);
});

test('whatever changes, the kept state ends equal to the new one', () => {
  const changes = [
    (one) => one.parts.pop(),
    (one) => one.parts.push({ id: 'p3', name: 'paw', place: [0, 0] }),
    (one) => one.parts.reverse(),
    (one) => delete one.chains.b1,
    (one) => (one.chains = { b2: ['b2'], b1: ['b1', 'b2'] }),
    (one) => (one.undo = 'rename'),
    (one) => (one.parts[0].place = null),
    (one) => (one.parts = {}),
    (one) => (one.parts[0].binding = { kind: 'rigid' }),
  ];
  for (const change of changes) {
    const [kept, next] = [figure(), figure()];
    change(next);
    merge(kept, next);
    assert.equal(JSON.stringify(kept), JSON.stringify(next));
    merge(kept, figure());
    assert.equal(JSON.stringify(kept), JSON.stringify(figure()));
  }
});

test('what is listed in another order is not the same', () => {
  assert.equal(same({ a: 1, b: 2 }, { b: 2, a: 1 }), false);
  assert.equal(same([1, [2]], [1, [2]]), true);
  assert.equal(same([], {}), false);
  assert.equal(same(null, {}), false);
});

test('a list keeps the rows that say what they said before', () => {
  const store = steady({
    names: ['ear', 'tail'],
    get rows() {
      return this.names.map((name, key) => ({ key, name, words: [name] }));
    },
  });
  const before = store.rows;
  store.names[1] = 'scut';
  store.names.push('paw');
  const after = store.rows;
  assert.equal(after[0], before[0]);
  assert.notEqual(after[1], before[1]);
  assert.deepEqual(
    after.map((row) => row.name),
    ['ear', 'scut', 'paw'],
  );
});
