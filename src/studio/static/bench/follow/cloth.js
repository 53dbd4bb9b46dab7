// Chains tied across: coat tails, capes and hems as strips of one cloth.

import { bench } from '../page/bench.js';

export const cloth = {
  give: 5, // % of how far strips are apart
  /** The springy chains that the chosen bones are in. */
  get chosen() {
    const { figure } = bench.page;
    if (!figure) return [];
    return figure.springs.filter(({ bones }) => bones.some((id) => bench.selection.bones.includes(id)));
  },
  get mayTie() {
    return this.chosen.length > 1;
  },
  /** The chains that one of the chosen is tied to, or that are tied to one of them. */
  get beside() {
    if (!this.chosen.length) return [];
    const roots = this.chosen.map(({ bones }) => bones[0]);
    const to = this.chosen.flatMap(({ tied }) => tied);
    const from = bench.page.figure.springs.filter(({ tied }) => tied.some((id) => roots.includes(id)));
    return [...new Set([...to, ...from.map(({ bones }) => bones[0])])];
  },
  get words() {
    if (!this.chosen.length) return '';
    const { beside } = this;
    if (beside.length) return `Tied across to ${beside.map((id) => bench.page.boneName(id)).join(', ')}.`;
    return this.mayTie
      ? `${this.chosen.length} springy chains are chosen.`
      : 'Choose the bones of several springy chains, with Shift, to tie them across.';
  },
  tie() {
    const bones = this.chosen.map((one) => one.bones[0]);
    bench.history.edit({ kind: 'tie_chains', bones, give: Number(this.give) / 100 });
  },
  untie() {
    bench.history.edit({ kind: 'untie_chains', bones: this.chosen.map((one) => one.bones[0]) });
  },
};
