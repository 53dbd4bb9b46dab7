// The stage of what follows through.

import { bench } from '../page/bench.js';
import { around, drawColliders } from './around.js';
import { cloth } from './cloth.js';
import { following } from './following.js';
import { jelly } from './jelly.js';
import { springs } from './springs.js';
import { drawWay, swung } from './swung.js';
import { collider } from './tools/collider.js';
import { wishes } from './wishes.js';

export const FOLLOW = {
  key: 'follow',
  word: 'Follow-through',
  stores: { springs, wishes, cloth, jelly, around, following, swung },
  tools: { collider },
  bar: (tool, view) => [tool('collider'), view('play', 'Play', bench.playing.playing)],
  actions: [
    {
      key: 'makeSpringy',
      word: 'Make the chain springy',
      also: 'spring dynamics hair ear cloth',
      act: () => {
        bench.page.goTo('follow');
        if (bench.selection.oneBone) bench.wishes.makeSpringy();
      },
    },
    {
      key: 'tieChains',
      word: 'Tie the chosen chains across',
      also: 'cloth cape skirt sheet',
      act: () => {
        bench.page.goTo('follow');
        if (bench.cloth.mayTie) bench.cloth.tie();
      },
    },
    {
      key: 'blowWind',
      word: 'Let the wind blow',
      also: 'gust breeze',
      act: () => {
        bench.page.goTo('follow');
        bench.around.blow();
      },
    },
  ],
  watch(watch) {
    watch(
      () => bench.wishes.wanted,
      () => bench.wishes.follow(),
    );
  },
  framed: () => bench.swung.take(),
  draw(context, camera) {
    if (bench.page.stageKey !== 'follow' || bench.sheet.cleanLook) return;
    drawColliders(context, camera);
    drawWay(context, camera);
  },
};
