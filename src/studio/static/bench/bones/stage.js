// The stage of bones.

import { bench } from '../page/bench.js';
import { bone } from './bone.js';
import { setup } from './setup.js';
import { along } from './tools/along.js';
import { chain } from './tools/chain.js';
import { joint } from './tools/joint.js';

/** Go to this stage and take up one of its tools. */
function take(key) {
  bench.page.goTo('bones');
  bench.tools.useTool(key);
}

export const BONES = {
  key: 'bones',
  word: 'Bones',
  stores: { bone, setup },
  tools: { chain, along, joint },
  bar: (tool) => [tool('chain'), tool('along'), tool('joint')],
  actions: [
    {
      key: 'chain',
      word: 'Draw a chain of bones',
      keys: 'C',
      press: 'c',
      also: 'skeleton joint new',
      act: () => take('chain'),
    },
    {
      key: 'along',
      word: 'Draw bones along a limb',
      keys: 'L',
      press: 'l',
      also: 'stroke trace skeleton',
      act: () => take('along'),
    },
    { key: 'joint', word: 'Move joints', keys: 'J', press: 'j', act: () => take('joint') },
    {
      key: 'bonesFromParts',
      word: 'Bones from the parts',
      also: 'pivots groups skeleton rig cut pieces',
      act: () => {
        bench.page.goTo('bones');
        bench.setup.bonesFromParts();
      },
    },
  ],
  nudge(by) {
    if (!bench.selection.oneBone || !bench.page.mayBuild) return false;
    const { id, joint } = bench.selection.oneBone;
    bench.history.gather(by, (sum) =>
      bench.history.edit({ kind: 'move_joint', bone: id, to: [joint[0] + sum[0], joint[1] + sum[1]] }),
    );
    return true;
  },
  watch(watch) {
    watch(
      () => bench.selection.bones,
      () => bench.setup.suggestSides(),
    );
  },
};
