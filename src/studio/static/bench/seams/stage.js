// The stage that keeps seams hidden.

import { bench } from '../page/bench.js';
import { among } from './among.js';
import { liveSeam } from './live.js';
import { poses } from './poses.js';
import { proposals } from './proposals.js';
import { seams } from './seams.js';
import { cut, fold, opening } from './tools/lines.js';
import { treatments } from './treatments.js';
import { trying } from './trying.js';
import { underneath } from './underneath.js';

export const SEAMS = {
  key: 'seams',
  word: 'Seams',
  stores: { seams, liveSeam, trying, proposals, treatments, underneath, poses, among },
  tools: { opening, fold, cut },
  bar: (tool) => [tool('opening'), tool('fold'), tool('cut')],
  actions: [
    {
      key: 'proposeAll',
      word: 'Treat all joints',
      also: 'seam cover trim gusset hide line',
      act: () => {
        bench.page.goTo('seams');
        bench.proposals.proposeAll();
      },
    },
  ],
  watch(watch) {
    for (const read of [() => bench.trying.stripWanted, () => bench.trying.twoWanted, () => bench.posing.posed]) {
      watch(read, () => bench.trying.settleStrip());
    }
    watch(
      () => bench.page.stageKey,
      () => bench.seams.loadSeams(),
    );
    watch(
      () => bench.selection.bones,
      () => bench.trying.loadTried(),
    );
    watch(
      () => bench.selection.parts,
      () => bench.underneath.keepVoids(),
    );
  },
  taken() {
    bench.seams.loadSeams();
  },
};
