// Let the selected parts ride: click the spot on another part that carries them.

import { partAt } from '../../sheet/picking.js';

export const spot = {
  key: 'spot',
  word: () => 'Let it ride',
  building: true,
  aiming: true,
  byKeys: true,
  hint: () => 'Click the spot on the part that carries it.',

  async down(bench, point) {
    const riders = bench.selection.selectedParts();
    const carrier = await partAt(
      bench.picking.items().filter((item) => !riders.includes(item.part)),
      point,
    );
    if (!riders.length) bench.page.warn('Select the parts that ride first.');
    else if (!carrier) bench.page.warn('There is no part under the pointer; click on the one that carries it.');
    else {
      bench.history.edit({
        kind: 'bind_rider',
        parts: riders,
        carrier,
        spot: point.map((one) => Math.round(one * 10) / 10),
      });
      bench.tools.useTool('select');
    }
  },

  move() {},
  up() {},
  cancel() {},
};
