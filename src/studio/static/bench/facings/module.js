// The sides the figure is seen from, whatever the stage of the work.

import { bench } from '../page/bench.js';
import { facings } from './facings.js';
import { flips } from './flips.js';
import { facingCard } from './making.js';
import { drawGhost, ghost } from './ghost.js';

export const FACINGS = {
  stores: { facings, facingCard, flips, ghost },
  actions: [
    {
      key: 'nextFacing',
      word: 'Look from the next side',
      keys: 'N',
      press: 'n',
      also: 'facing turnaround turn round view',
      act: () => bench.facings.step(1),
    },
    {
      key: 'facingBefore',
      word: 'Look from the side before',
      keys: 'Shift-N',
      press: 'shift+n',
      also: 'facing turnaround turn round view',
      act: () => bench.facings.step(-1),
    },
  ],
  taken() {
    bench.facings.taken();
    bench.ghost.taken();
  },
  watch(watch) {
    for (const read of [() => bench.ghost.under, () => bench.ghost.opacity]) watch(read, () => bench.sheet.redraw());
    watch(
      () => bench.posing.pose,
      () => {
        const { told } = bench.facings;
        const number = told ? bench.posing.pose.channels[told.address] : undefined;
        if (number === undefined) return;
        bench.posing.keepChannels((id, name) => `${id}.${name}` !== told.address); // the sheet shows it, not the pose
        bench.facings.turnTo(number || told.first);
      },
    );
  },
  draw: (context, camera) => drawGhost(context, camera),
};
