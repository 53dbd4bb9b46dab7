// Laid-on shapes: poses and pulled art that are laid on by an amount.

import { bench } from '../page/bench.js';

const ROUND = 100;

export const shapes = {
  chosen: '',
  known: null, // the ids of those that were there before one is made
  name: '',
  instead: false,
  get all() {
    return bench.page.figure ? bench.page.figure.shapes : [];
  },
  get one() {
    return this.all.find(({ id }) => id === this.chosen) || null;
  },
  get title() {
    return this.one ? `Shape ${this.one.name}` : '';
  },
  get amount() {
    return this.one ? Math.round(bench.posing.channel(this.one.id, 'amount') * ROUND) / ROUND : 0;
  },
  get words() {
    if (!this.one) return '';
    const parts = new Set(this.one.sculpts.map(({ part }) => part)).size;
    const channels = Object.keys(this.one.on_top).length + Object.keys(this.one.instead).length;
    return `Moves ${channels} of what can be posed; pulls at ${parts} ${parts === 1 ? 'part' : 'parts'}.`;
  },
  lay(amount) {
    if (amount === '' || !Number.isFinite(Number(amount))) return;
    if (!bench.posing.posed) bench.posing.turnOver();
    const held = Math.min(Math.max(Number(amount), this.one.low), this.one.high);
    bench.posing.setChannels(this.one.id, { amount: Math.round(held * ROUND) / ROUND });
  },
  /** A shape of what is posed now: of what is selected, or of everything. */
  make() {
    this.known = new Set(this.all.map(({ id }) => id));
    const only = [...bench.selection.bones, ...bench.selection.parts];
    const pose = JSON.parse(JSON.stringify(bench.posing.pose));
    bench.history.edit({
      kind: 'make_shape',
      ...(this.name.trim() ? { name: this.name.trim() } : {}),
      pose: bench.posing.posed ? pose : { channels: {} },
      ...(only.length ? { only } : {}),
      instead: this.instead,
    });
    this.name = '';
  },
  get makeWords() {
    if (!bench.posing.posed || !bench.posing.isPosed) return 'Make an empty shape to pull at';
    const some = bench.selection.bones.length + bench.selection.parts.length;
    return some ? 'Make a shape of how the selected are posed' : 'Make a shape of this pose';
  },
  /** A new state of the figure: the one that was made is chosen. */
  taken() {
    const made = this.known && this.all.find(({ id }) => !this.known.has(id));
    if (made) bench.slip.choose({ kind: 'shape', id: made.id });
    if (made) this.known = null;
  },
  change(changes) {
    bench.history.edit({ kind: 'set_shape', shape: this.one.id, ...changes });
  },
  lift() {
    bench.history.edit({ kind: 'lift_shape', shape: this.one.id });
  },
};
