// The motions of the figure's own: which one is worked on, how long it is, whether it goes round.

import { bench } from '../page/bench.js';

export const motions = {
  chosen: '',
  known: null, // the ids of those that were there before one was asked for
  newName: '',
  get all() {
    return bench.page.figure ? bench.page.figure.motions : [];
  },
  get one() {
    return this.all.find(({ id }) => id === this.chosen) || this.all[0] || null;
  },
  get lengthWords() {
    if (!this.one) return '';
    const { frames, rate, loop } = this.one;
    const seconds = Math.round((100 * frames) / rate) / 100;
    return `${seconds} s at ${rate} frames per second${loop ? ', round and round' : ''}`;
  },
  choose(id) {
    this.chosen = id;
    bench.playing.chooseMotion(this.one ? this.one.name : 'test swing');
    bench.strip.chosen = [];
    bench.strip.goTo(0);
  },
  make() {
    this.known = new Set(this.all.map(({ id }) => id));
    bench.history.edit({ kind: 'make_motion', name: this.newName.trim() || 'motion' });
    this.newName = '';
  },
  copy() {
    this.known = new Set(this.all.map(({ id }) => id));
    bench.history.edit({ kind: 'copy_motion', motion: this.one.id });
  },
  change(said) {
    bench.history.edit({ kind: 'set_motion', motion: this.one.id, ...said });
  },
  setNumber(name, value) {
    this.change({ [name]: Number(value) });
  },
  lift() {
    bench.history.edit({ kind: 'lift_motion', motion: this.one.id });
  },
  /** A new state of the figure: the motion that was made is chosen. */
  taken() {
    const made = this.known && this.all.find(({ id }) => !this.known.has(id));
    if (!made) return;
    this.known = null;
    this.choose(made.id);
  },
};
