// The stage of springs.

import { bench } from '../page/bench.js';
import { springs } from './springs.js';

export const FOLLOW = {
  key: 'follow',
  word: 'Follow-through',
  stores: { springs },
  bar: (tool, view) => [view('play', 'Play', bench.playing.playing)],
  watch(watch) {
    watch(
      () => bench.selection.bones,
      () => bench.springs.takeSpring(),
    );
  },
  taken() {
    bench.springs.takeSpring();
  },
};
