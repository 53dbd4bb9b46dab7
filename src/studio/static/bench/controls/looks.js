// What reaches, looks and counters hang on, in which order they are worked out, and new looks and counters.

import { bench } from '../page/bench.js';

export const looks = {
  on: '',
  get mayLay() {
    return Boolean(bench.selection.oneBone);
  },
  get mayCounter() {
    return Boolean(bench.selection.oneBone && bench.selection.oneBone.parent);
  },
  get lookWords() {
    return this.mayLay ? `Let ${bench.selection.oneBone.name} look at a goal` : 'Choose a bone that looks';
  },
  get counterWords() {
    return this.mayCounter ? `Let ${bench.selection.oneBone.name} keep still` : 'Choose a bone that keeps still';
  },
  lay(kind) {
    bench.reaches.known = new Set(bench.reaches.all.map(({ id }) => id));
    bench.history.edit({ kind, bone: bench.selection.oneBone.id });
  },
  get kind() {
    return bench.reaches.one ? bench.reaches.one.kind : '';
  },
  /** What its goal can hang on, each with what it is called; the one it hangs on in this pose is marked. */
  get hangs() {
    const { one } = bench.reaches;
    if (!one || one.kind === 'counter') return [];
    const now = bench.posing.channel(one.id, 'hang');
    const first = { number: 0, bone: one.hangs_on, part: one.hangs_at };
    return [first, ...one.others].map(({ number, bone, part }) => ({
      number,
      on: number === now,
      extra: number > 0,
      words: this.nameOf(bone, part),
    }));
  },
  nameOf(bone, part) {
    if (bone) return bench.page.boneName(bone);
    const found = part && bench.page.figure.parts.find(({ id }) => id === part);
    return found ? `${found.name}, there` : 'the world';
  },
  hangOn(number) {
    if (!bench.posing.posed) bench.posing.turnOver();
    bench.reaches.takeOver(number);
  },
  /** It can hang on that bone, or the world, as well. */
  also() {
    bench.history.edit({ kind: 'also_hang', reach: bench.reaches.one.id, ...(this.on ? { bone: this.on } : {}) });
  },
  noMore(number) {
    bench.history.edit({ kind: 'also_hang', reach: bench.reaches.one.id, number });
  },
  /** One step earlier or later in the order; what must come before it still does. */
  order(way) {
    const { all, one } = bench.reaches;
    const place = all.findIndex(({ id }) => id === one.id);
    const before = way === 'earlier' ? all[place - 1] : all[place + 2];
    if (way === 'earlier' && !before) return;
    bench.history.edit({ kind: 'order_reach', reach: one.id, ...(before ? { before: before.id } : {}) });
  },
};
