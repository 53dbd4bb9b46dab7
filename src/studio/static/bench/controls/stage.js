// The stage of controls: few handles by which others pose the figure.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { drawLengthened, drawReaches } from './drawing.js';
import { drawLevers } from './lever_drawing.js';
import { correctives } from './correctives.js';
import { drawPull, pull } from './tools/pull.js';
import { drives } from './drives.js';
import { goal } from './tools/goal.js';
import { levers } from './levers.js';
import { looks } from './looks.js';
import { drawReachMap, reachMap } from './reach_map.js';
import { drawWarps } from '../warps/drawing.js';
import { pulling } from './pulling.js';
import { reaches } from './reaches.js';
import { shapes } from './shapes.js';
import { slip } from './slip.js';

export const CONTROLS = {
  key: 'controls',
  word: 'Controls',
  stores: { reaches, looks, reachMap, levers, drives, shapes, correctives, pulling, slip },
  tools: { goal, pull },
  bar: (tool) => [tool('goal'), ...(bench.correctives.target ? [tool('pull')] : [])],
  actions: [
    {
      key: 'layReach',
      word: 'Let the limb of the chosen bone reach for a goal',
      also: 'foot hand goal leg arm knee control pose',
      act: () => {
        bench.page.goTo('controls');
        if (bench.reaches.mayLay) bench.reaches.lay();
      },
    },
    {
      key: 'makeLever',
      word: 'Make a lever beside the chosen bone, or on the slip',
      also: 'slider control dial knob driver blink jaw brow',
      act: () => {
        bench.page.goTo('controls');
        bench.levers.make();
      },
    },
    {
      key: 'beginCorrective',
      word: 'Begin a corrective of the chosen bones, or pull at the art',
      also: 'sculpt fix bend elbow knee crease shape blend',
      act: () => {
        bench.page.goTo('controls');
        if (bench.correctives.target) bench.tools.useTool('pull');
        else if (bench.correctives.mayBegin) bench.correctives.begin();
      },
    },
  ],
  bonesBehind: true,
  unframed: () => Boolean(bench.levers.one || bench.reaches.one || bench.correctives.target),
  /** Arrow keys move the chosen lever or goal, as far as it goes. */
  nudge([dx, dy]) {
    const { one } = bench.levers;
    const goal = bench.reaches.goals.find(({ id }) => id === bench.reaches.chosen);
    if (one) bench.levers.nudge(dx, -dy);
    else if (goal) bench.reaches.nudge(dx, dy);
    return Boolean(one || goal);
  },
  entered() {
    bench.tools.useTool('goal');
  },
  taken() {
    [engine.goalPlaces, engine.leverStands, engine.lengthened] = [null, null, null];
    bench.reaches.taken();
    bench.reachMap.taken();
    bench.levers.taken();
    bench.drives.taken();
    bench.shapes.taken();
    bench.correctives.taken();
    bench.pulling.taken();
  },
  framed({ goals, levers: stands, lengthened }) {
    engine.lengthened = lengthened;
    engine.leverStands = Object.fromEntries(bench.levers.all.map(({ id }, k) => [id, stands.slice(2 * k, 2 * k + 2)]));
    engine.goalPlaces = Object.fromEntries(bench.reaches.all.map(({ id }, k) => [id, goals.slice(2 * k, 2 * k + 2)]));
  },
  draw(context, camera) {
    if (!['controls', 'trial'].includes(bench.page.stageKey) || bench.sheet.cleanLook) return;
    drawReachMap(context, camera);
    drawLengthened(context, camera);
    drawReaches(context, camera);
    drawLevers(context, camera, goal.hovered);
    if (bench.tools.toolKey !== 'pull') return;
    if (!bench.correctives.whyNot) drawWarps(context, camera, bench.pulling.warps);
    drawPull(context, camera);
  },
};
