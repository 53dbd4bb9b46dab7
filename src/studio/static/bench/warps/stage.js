// The stage of warps: lattices around parts, and their handles.

import { bench } from '../page/bench.js';
import { drawWarps } from './drawing.js';
import { handle } from './tools/handle.js';
import { handles } from './handles.js';
import { ties } from './ties.js';
import { warps } from './warps.js';

export const WARPS = {
  key: 'warps',
  word: 'Warps',
  stores: { warps, handles, ties },
  tools: { handle },
  bar: (tool) => [tool('handle')],
  actions: [
    {
      key: 'layLattice',
      word: 'Lay a lattice or a cage around what is chosen',
      also: 'warp grid deform head belly reshape outline',
      act: () => {
        bench.page.goTo('warps');
        bench.warps.lay();
      },
    },
    {
      key: 'handle',
      word: 'Drag handles of warps',
      keys: 'Y',
      press: 'y',
      act: () => {
        bench.page.goTo('warps');
        bench.tools.useTool('handle');
      },
    },
  ],
  bonesBehind: true,
  unframed: () => Boolean(bench.warps.one),
  entered() {
    bench.tools.useTool('handle');
  },
  taken() {
    bench.warps.keepWhatIsThere();
  },
  remove: () => bench.handles.remove(),
  nudge: (by) => bench.handles.nudge(by),
  draw(context, camera) {
    if (bench.page.stageKey === 'warps' && !bench.sheet.cleanLook) drawWarps(context, camera);
  },
};
