// The stage of controls: few handles by which others pose the figure.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { drawReaches } from './drawing.js';
import { drawLevers } from './lever_drawing.js';
import { drives } from './drives.js';
import { goal } from './tools/goal.js';
import { levers } from './levers.js';
import { reaches } from './reaches.js';
import { slip } from './slip.js';

export const CONTROLS = {
  key: 'controls',
  word: 'Controls',
  stores: { reaches, levers, drives, slip },
  tools: { goal },
  bar: (tool) => [tool('goal')],
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
  ],
  bonesBehind: true,
  unframed: () => Boolean(bench.levers.one || bench.reaches.one),
  entered() {
    bench.tools.useTool('goal');
  },
  taken() {
    [engine.goalPlaces, engine.leverStands] = [null, null];
    bench.reaches.taken();
    bench.levers.taken();
    bench.drives.taken();
  },
  framed({ goals, levers: stands }) {
    engine.leverStands = Object.fromEntries(bench.levers.all.map(({ id }, k) => [id, stands.slice(2 * k, 2 * k + 2)]));
    engine.goalPlaces = Object.fromEntries(bench.reaches.all.map(({ id }, k) => [id, goals.slice(2 * k, 2 * k + 2)]));
  },
  draw(context, camera) {
    if (bench.page.stageKey !== 'controls' || bench.sheet.cleanLook) return;
    drawReaches(context, camera);
    drawLevers(context, camera, goal.hovered);
  },
};
