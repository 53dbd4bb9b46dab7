// Pick a colour of the part's lines on its own picture.

import { partAt } from '../../sheet/picking.js';

export const ink = {
  key: 'ink',
  word: () => 'Pick ink',
  building: true,
  aiming: true,
  byKeys: true,
  hint: (bench) =>
    bench.selection.onePart
      ? `Click a line of ${bench.selection.onePart.name} to take its colour as ink.`
      : 'Select a part, then click one of its lines.',

  down(bench, point) {
    if (!bench.selection.onePart) {
      partAt(bench.picking.items(), point).then((part) => part && bench.selection.pickPart(part));
      return;
    }
    bench.history.edit({ kind: 'pick_ink', part: bench.selection.onePart.id, at: point });
  },

  move() {},
  up() {},
  cancel() {},
};
