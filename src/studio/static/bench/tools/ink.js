// Pick a colour of the part's lines on its own picture.

import { partAt } from '../picking.js';

export const ink = {
  key: 'ink',
  word: () => 'Pick ink',
  building: true,
  aiming: true,
  byKeys: true,
  hint: (bench) => (bench.onePart ? `Click a line of ${bench.onePart.name} to take its colour as ink.` : 'Select a part, then click one of its lines.'),

  down(bench, point) {
    if (!bench.onePart) { partAt(bench.items(), point).then((part) => part && bench.pickPart(part)); return; }
    bench.edit({ kind: 'pick_ink', part: bench.onePart.id, at: point });
  },

  move() {},
  up() {},
  cancel() {},
};
