// A group as a whole.

import { bench } from '../page/bench.js';

export const group = {
  paintGroup(change) {
    const { id, opacity, blend, isolated } = bench.selection.partGroup;
    bench.history.edit({ kind: 'paint_group', group: id, opacity, blend, isolated, ...change });
  },
  groupOpacity(value) {
    this.paintGroup({ opacity: Number(value) });
  },
  groupBlend(blend) {
    this.paintGroup({ blend });
  },
};
