import assert from 'node:assert/strict';
import { beforeEach, mock, test } from 'node:test';
import { server, settle, storage } from './browser.js';

const { EditQueue, fetchJson, post } = await import('./static/bench/page/api.js');

const listener = () => {
  const told = [];
  const hears = (name) => (value) => told.push([name, value]);
  return {
    told,
    of: (name) => told.filter(([one]) => one === name).map(([, value]) => value),
    accepted: hears('accepted'),
    refused: hears('refused'),
    caughtUp: hears('caughtUp'),
    waiting: hears('waiting'),
    offline: hears('offline'),
  };
};

beforeEach(() => {
  globalThis.sessionStorage = storage();
});

test('edits go one after another, each on the revision the one before it made', async () => {
  const sent = server({ data: { revision: 8 } }, { data: { revision: 9 } });
  const ears = listener();
  const queue = new EditQueue(3, ears);
  queue.revision = 7;
  queue.add('edit', { kind: 'a' });
  queue.add('edit', { kind: 'b' });
  await settle();
  await settle();
  assert.deepEqual(
    sent.map((one) => [one.url, one.body.base, one.body.edit.kind]),
    [
      ['/bench/3/edit/', 7, 'a'],
      ['/bench/3/edit/', 8, 'b'],
    ],
  );
  assert.equal(sent[0].headers['X-CSRFToken'], 'abc');
  assert.deepEqual(
    ears.of('accepted').map((one) => one.revision),
    [8, 9],
  );
  assert.equal(ears.of('waiting').at(-1), 0);
});

test('on a 409 the newer figure is taken over and the same edit is made on it', async () => {
  const sent = server(
    { status: 409, data: { sentence: 'Somebody else was quicker.', state: { revision: 20 } } },
    { data: { revision: 21 } },
  );
  const ears = listener();
  const queue = new EditQueue(3, ears);
  queue.revision = 7;
  queue.add('edit', { kind: 'a' });
  await settle();
  await settle();
  assert.deepEqual(
    sent.map((one) => one.body.base),
    [7, 20],
  );
  assert.deepEqual(ears.of('caughtUp'), [{ revision: 20 }]);
  assert.deepEqual(ears.of('accepted'), [{ revision: 21 }]);
  assert.deepEqual(ears.of('refused'), []);
});

test('an undo that comes too late is refused and not made on what it was not meant for', async () => {
  server({ status: 409, data: { sentence: 'It was changed meanwhile.', state: { revision: 20 } } });
  const ears = listener();
  const queue = new EditQueue(3, ears);
  queue.revision = 7;
  queue.add('undo', null);
  await settle();
  assert.deepEqual(ears.of('refused'), ['It was changed meanwhile.']);
  assert.equal(queue.pending.length, 0);
});

test('a refused edit is told in its sentence and the next one goes on', async () => {
  const sent = server({ status: 400, data: { sentence: 'There is no part “x”.' } }, { data: { revision: 8 } });
  const ears = listener();
  const queue = new EditQueue(3, ears);
  queue.revision = 7;
  queue.add('edit', { kind: 'a' });
  queue.add('edit', { kind: 'b' });
  await settle();
  await settle();
  assert.deepEqual(ears.of('refused'), ['There is no part “x”.']);
  assert.equal(sent.length, 2);
  assert.deepEqual(ears.of('accepted'), [{ revision: 8 }]);
});

test('without a server an edit is kept, also when the page is opened anew, and sent again', async () => {
  mock.timers.enable({ apis: ['setTimeout'] });
  try {
    server();
    const ears = listener();
    const queue = new EditQueue(3, ears);
    queue.revision = 7;
    queue.add('edit', { kind: 'a' });
    await settle();
    assert.equal(ears.of('offline').length, 1);
    assert.deepEqual(JSON.parse(sessionStorage.getItem('edits-3'))[0].edit, { kind: 'a' });
    const later = listener();
    const opened = new EditQueue(3, later);
    const sent = server({ data: { revision: 8 } });
    opened.revision = 7;
    opened.work();
    await settle();
    assert.equal(sent[0].body.edit.kind, 'a');
    assert.equal(JSON.parse(sessionStorage.getItem('edits-3')).length, 0);
  } finally {
    mock.timers.reset();
  }
});

test('what is no JSON, no server and no longer a session is told in a sentence', async () => {
  server({ data: 'unreadable' });
  assert.match((await fetchJson('/x/')).data.sentence, /unreadable/);
  server();
  assert.deepEqual(await post('/x/', {}), { ok: false, status: 0, data: { sentence: 'The server does not answer.' } });
  server({ redirected: true, to: '/sign-in/?next=/x/' });
  assert.equal((await fetchJson('/x/')).status, 401);
});
