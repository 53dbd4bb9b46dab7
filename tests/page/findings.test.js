import assert from 'node:assert/strict';
import { mock, test } from 'node:test';
import './browser.js';

const { bench } = await import('./static/bench/page/bench.js');
const { scene } = await import('./static/bench/page/scene.js');
const { findings } = await import('./static/bench/page/findings.js');

const settled = async () => {
  for (let k = 0; k < 20; k += 1) await Promise.resolve();
};

/** Findings as they come when the server answers so, one answer after the other. */
async function asked(answers, seconds) {
  Object.assign(bench, { page: { figureId: 7 } });
  scene.revision = '12';
  let calls = 0;
  globalThis.document = /** @type {any} */ ({ cookie: '' });
  globalThis.fetch = /** @type {any} */ (
    async () => {
      const one = answers[Math.min(calls, answers.length - 1)];
      calls += 1;
      if (!one) throw new TypeError('the connection was lost');
      const data = { findings: one === 200 ? [{ sentence: 'a hole' }] : [] };
      return { ok: one === 200, status: one, redirected: false, url: '', json: async () => data };
    }
  );
  mock.timers.enable({ apis: ['setTimeout'] });
  const store = Object.assign(Object.create(null), findings, { found: null, notices: [], findingsChosen: true });
  store.loadFindings('12');
  for (let k = 0; k < 4 * seconds; k += 1) {
    mock.timers.tick(250);
    await settled();
  }
  mock.timers.reset();
  return { found: store.found, calls };
}

test('findings that a server which is away does not tell are asked for until it does', async () => {
  const { found, calls } = await asked([null, 503, 200], 12);
  assert.equal(calls, 3);
  assert.deepEqual(
    found.map(({ sentence }) => sentence),
    ['a hole'],
  );
});

test('those of a revision that is gone are not asked for again', async () => {
  const { found, calls } = await asked([404], 12);
  assert.deepEqual([found, calls], [null, 1]);
});
