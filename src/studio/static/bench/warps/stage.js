// The stage of warps: lattices around parts, and their handles.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene } from '../page/scene.js';
import { drawWarps } from './drawing.js';
import { handle } from './tools/handle.js';
import { handles } from './handles.js';
import { line } from './tools/line.js';
import { ties } from './ties.js';
import { warps } from './warps.js';

/** At rest, too, handles lie where later warps take them. */
function askWhereHandlesAre() {
  if (bench.page.stageKey === 'warps' && !bench.posing.posed && bench.warps.all.length > 1)
    engine.live.send({ revision: scene.revision, pose: { channels: {} } });
}

export const WARPS = {
  key: 'warps',
  word: 'Warps',
  stores: { warps, handles, ties },
  tools: { handle, line },
  bar: (tool) => [tool('handle'), tool('line')],
  actions: [
    {
      key: 'layLattice',
      word: 'Lay a lattice, a cage or a curve on what is chosen',
      also: 'warp grid deform head belly brow lip tail reshape outline line',
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
    askWhereHandlesAre();
  },
  taken() {
    bench.warps.keepWhatIsThere();
    askWhereHandlesAre();
  },
  remove: () => bench.handles.remove(),
  nudge: (by) => bench.handles.nudge(by),
  draw(context, camera) {
    if (bench.page.stageKey === 'warps' && !bench.sheet.cleanLook) drawWarps(context, camera);
  },
};
