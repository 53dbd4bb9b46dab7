// Limbs that turn the other way round on the facing shown than on the first one.

import { bench } from '../page/bench.js';

export const flips = {
  get may() {
    return bench.facings.mayLift && bench.selection.bones.length > 0;
  },
  /** Whether all of the chosen bones do. */
  get done() {
    const { flipped } = bench.facings.told;
    return bench.selection.bones.every((id) => flipped.includes(id));
  },
  get word() {
    if (!this.may) return '';
    return this.done ? 'Turn as on the first' : 'Turn the other way';
  },
  flip() {
    bench.history.edit({ kind: 'flip_bones', bones: [...bench.selection.bones], flipped: !this.done });
  },
};
