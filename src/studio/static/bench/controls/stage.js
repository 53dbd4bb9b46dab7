// The stage of controls: few handles by which others pose the figure.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { drawReaches } from './drawing.js';
import { goal } from './tools/goal.js';
import { reaches } from './reaches.js';

export const CONTROLS = {
  key: 'controls',
  word: 'Controls',
  stores: { reaches },
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
  ],
  bonesBehind: true,
  entered() {
    bench.tools.useTool('goal');
  },
  taken() {
    engine.goalPlaces = null;
    bench.reaches.taken();
  },
  framed({ goals }) {
    engine.goalPlaces = Object.fromEntries(bench.reaches.all.map(({ id }, k) => [id, goals.slice(2 * k, 2 * k + 2)]));
  },
  draw(context, camera) {
    if (bench.page.stageKey === 'controls' && !bench.sheet.cleanLook) drawReaches(context, camera);
  },
};
