// The stage where artwork comes in and is got ready.

import { bench } from '../page/bench.js';
import { artsheet } from './artsheet.js';
import { group } from './group.js';
import { ink } from './ink.js';
import { part } from './part.js';
import { reference } from './reference.js';
import { shape } from './shape.js';
import { ink as pickInk } from './tools/ink.js';
import { move } from './tools/move.js';
import { pivot, turn } from './tools/pivot.js';
import { middle, reshape, sever } from './tools/reshape.js';
import { stand } from './tools/stand.js';

/** Go to this stage and take up one of its tools. */
function take(key) {
  bench.page.goTo('artwork');
  bench.tools.useTool(key);
}

export const ARTWORK = {
  key: 'artwork',
  word: 'Artwork',
  stores: { part, ink, shape, group, reference, artsheet },
  tools: { move, reshape, pivot, turn, sever, middle, ink: pickInk, stand },
  bar: (tool, view) => [
    tool('move'),
    tool('reshape'),
    tool('pivot'),
    tool('turn'),
    tool('sever'),
    ...(bench.tools.toolKey === 'middle' ? [tool('middle')] : []),
    view('lifted', 'Ink lifted', bench.ink.liftInk),
    tool('stand'),
  ],
  actions: [
    { key: 'sever', word: 'Cut a part in two', also: 'split divide limb piece', act: () => take('sever') },
    {
      key: 'reshape',
      word: 'Turn, scale or flip a part',
      also: 'rotate resize mirror transform',
      act: () => take('reshape'),
    },
    { key: 'middle', word: 'Straighten a part along a line', also: 'curved lock', act: () => take('middle') },
    {
      key: 'lifted',
      word: 'Show ink lifted off',
      keys: 'I',
      press: 'i',
      also: 'line outline fill',
      act: () => bench.ink.toggleLifted(),
    },
  ],
  remove() {
    if (!bench.selection.parts.length) return false;
    bench.part.deleteParts();
    return true;
  },
  nudge(by) {
    if (!bench.selection.parts.length || !bench.page.mayBuild) return false;
    const parts = bench.selection.selectedParts();
    bench.history.gather(by, (sum) => bench.history.edit({ kind: 'move_parts', parts, by: sum }));
    return true;
  },
  watch(watch) {
    const read = () => {
      bench.ink.loadReadings();
      if (bench.ink.liftInk) bench.ink.showLifted();
    };
    watch(() => bench.selection.parts, read);
    watch(() => bench.page.stageKey, read);
  },
  taken() {
    bench.ink.loadReadings();
    if (bench.ink.liftInk) bench.ink.showLifted();
    bench.reference.loadReference();
  },
};
