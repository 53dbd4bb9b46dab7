// Move the selected parts on the sheet; release commits one step.

import { partAt } from '../../sheet/picking.js';

export const move = {
  key: 'move',
  word: () => 'Move',
  building: true,
  hint: () => 'Drag parts to their place; arrow keys nudge by 1 px, with Shift by 10.',

  down(bench, point, event) {
    this.drag = null;
    this.held = true;
    partAt(bench.picking.items(), point).then((part) => {
      if (!part || !this.held) return;
      if (!bench.selection.parts.includes(part)) bench.selection.pickPart(part, event);
      this.drag = { from: point, by: [0, 0] };
    });
  },

  move(bench, point) {
    if (!this.drag) return;
    this.drag.by = [Math.round(point[0] - this.drag.from[0]), Math.round(point[1] - this.drag.from[1])];
    bench.sheet.showMoved(bench.selection.selectedParts(), this.drag.by);
  },

  up(bench) {
    const { drag } = this;
    this.drag = null;
    this.held = false;
    if (drag && (drag.by[0] || drag.by[1]))
      bench.history.edit({ kind: 'move_parts', parts: bench.selection.selectedParts(), by: drag.by });
  },

  cancel(bench) {
    if (this.drag) bench.sheet.showRest();
    this.drag = null;
    this.held = false;
  },
};
