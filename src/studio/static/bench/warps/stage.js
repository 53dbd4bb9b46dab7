// The stage of warps: lattices around parts, and their handles.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene } from '../page/scene.js';
import { drawWarps } from './drawing.js';
import { handle } from './tools/handle.js';
import { handles } from './handles.js';
import { hems } from './hems.js';
import { line } from './tools/line.js';
import { tacks } from './tacks.js';
import { ties } from './ties.js';
import { shares } from './tools/shares.js';
import { stiffen, tack } from './tools/tack.js';
import { warps } from './warps.js';

/** At rest, too, handles lie where later warps take them. */
function askWhereHandlesAre() {
  if (bench.page.stageKey === 'warps' && !bench.posing.posed && bench.warps.all.length > 1)
    engine.live.send({ seen: scene.revision, pose: { channels: {} } });
}

export const WARPS = {
  key: 'warps',
  word: 'Warps',
  stores: { warps, handles, ties, tacks, hems },
  tools: { handle, line, tack, stiffen, shares },
  /** What can be used as things are: more would not go beside one another. */
  bar: (tool) => [
    tool('handle'),
    ...(bench.warps.kind === 'curve' && bench.warps.mayLay ? [tool('line')] : []),
    ...(bench.tacks.part ? [tool('tack')] : []),
    ...(bench.tacks.warp ? [tool('stiffen')] : []),
    ...(bench.ties.brushed ? [tool('shares')] : []),
  ],
  actions: [
    {
      key: 'layLattice',
      word: 'Lay a lattice, a cage, a curve or tacks on what is chosen',
      also: 'warp grid deform head belly brow lip tail reshape outline line pin hold still skirt',
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
  framed({ holds }) {
    if (bench.page.stageKey !== 'warps' || !bench.tacks.warp) return;
    bench.tacks.holds = Object.fromEntries(bench.handles.all.map(({ id }, k) => [id, holds[k]]));
  },
  remove: () => bench.handles.remove(),
  nudge: (by) => bench.handles.nudge(by),
  draw(context, camera) {
    if (bench.page.stageKey === 'warps' && !bench.sheet.cleanLook) drawWarps(context, camera);
  },
};
