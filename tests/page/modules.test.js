import assert from 'node:assert/strict';
import { readFileSync, readdirSync } from 'node:fs';
import { test } from 'node:test';

globalThis.window = globalThis;
const { bench, install } = await import('./static/bench/page/bench.js');
const stages = ['artwork', 'bones', 'binding', 'warps', 'seams', 'controls', 'follow', 'trial', 'delivery'];
const modules = [];
for (const path of [
  'facings/module',
  'sheet/module',
  'page/module',
  'posing/module',
  ...stages.map((one) => `${one}/stage`),
]) {
  modules.push(Object.values(await import(`./static/bench/${path}.js`))[0]);
}
const stores = new Map();
const Alpine = {
  nextTick: (then) => then(),
  store: (name, value) => (value ? stores.set(name, value) : stores.get(name)),
};
install(Alpine, modules);

test('no store has more than 25 members', () => {
  for (const [name, store] of stores) {
    const count = Object.keys(Object.getOwnPropertyDescriptors(store)).length;
    assert.ok(count <= 25, `${name} has ${count}`);
  }
  assert.ok(stores.size > 30);
});

test('a template names only stores and members that are there', () => {
  const root = new URL('../../src/studio/templates/bench/', import.meta.url);
  let named = 0;
  for (const file of readdirSync(root, { recursive: true }).filter((one) => String(one).endsWith('.html'))) {
    for (const [, store, member] of readFileSync(new URL(String(file), root), 'utf8').matchAll(
      /\$store\.(\w+)\.(\w+)/g,
    )) {
      assert.ok(
        stores.has(store) && member in Object.getOwnPropertyDescriptors(stores.get(store)),
        `${file}: ${store}.${member}`,
      );
      named += 1;
    }
  }
  assert.ok(named > 200);
});

test('every action has a word and something to do, and no two are for one key', () => {
  const pressed = bench.actions.map((one) => one.press).filter(Boolean);
  assert.equal(new Set(pressed).size, pressed.length);
  assert.equal(new Set(bench.actions.map((one) => one.key)).size, bench.actions.length);
  for (const one of bench.actions) assert.ok(one.word && one.act, one.key);
});

test('each stage has a word and its bar names tools that are there', () => {
  assert.deepEqual(
    modules.filter((one) => one.key).map((one) => one.key),
    stages,
  );
  const asked = [];
  const tool = (key) => asked.push(key);
  for (const one of modules) if (one.bar) one.bar(tool, () => ({}));
  assert.ok(asked.length > 10);
  for (const key of asked) assert.ok(bench.toolset[key], key);
});

test('the scripts ask for no store and no member of one that is not there', () => {
  const text = readdirSync(new URL('./static/bench/', import.meta.url), { recursive: true })
    .filter((one) => String(one).endsWith('.js'))
    .map((one) => readFileSync(new URL(`./static/bench/${one}`, import.meta.url), 'utf8'))
    .join('\n');
  const common = new Set(['modules', 'toolset', 'actions', 'nextTick', 'raw', 'js']);
  for (const [, name, member] of text.matchAll(/\bbench\.(\w+)(?:\.(\w+))?/g)) {
    assert.ok(stores.has(name) || common.has(name), name);
    if (member && stores.has(name))
      assert.ok(member in Object.getOwnPropertyDescriptors(stores.get(name)), `${name}.${member}`);
  }
});
