// The posed side of the sheet.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { placing } from './placing.js';
import { playing } from './playing.js';
import { posing } from './posing.js';
import { poseTools } from './tools.js';

export const POSING = {
  stores: { posing, placing, playing, poseTools },
  actions: [
    {
      key: 'turnOver',
      word: 'Turn the sheet over (at rest, posed)',
      keys: 'R',
      press: 'r',
      also: 'pose posing animate try',
      act: () => bench.posing.turnOver(),
    },
    {
      key: 'grip',
      word: 'Change what dragging the art moves',
      keys: 'E',
      press: 'e',
      also: 'part group bone pivot',
      act: () => bench.placing.next(),
    },
    { key: 'play', word: 'Play or stop the test swing', keys: 'P', press: 'p', act: () => bench.playing.playSwing() },
    {
      key: 'copyPose',
      word: 'Copy the pose, or that of what is selected',
      also: 'clipboard',
      act: () => bench.poseTools.copy(),
    },
    {
      key: 'pastePose',
      word: 'Paste the copied pose',
      also: 'clipboard',
      act: () => bench.poseTools.mayPaste && bench.poseTools.paste(),
    },
    {
      key: 'pasteMirrored',
      word: 'Paste the copied pose with its sides changed',
      also: 'mirror flip swap near far left right',
      act: () => bench.poseTools.mayPaste && bench.poseTools.pasteMirrored(),
    },
    { key: 'restAll', word: 'Back to rest, all bones', keys: '0', press: '0', act: () => bench.posing.toRest('all') },
  ],
  watch(watch) {
    watch(
      () => bench.selection.parts,
      () => {
        if (bench.placing.gripped) bench.posing.sendPose();
      },
    );
  },
  taken(state) {
    const { bones, parts, groups, warps, reaches, levers, shapes } = state.figure;
    const some = [bones, parts, groups, reaches, levers, shapes, ...warps.map(({ handles }) => handles)];
    const there = new Set(some.flatMap((things) => things.map((one) => one.id)));
    bench.posing.keepChannels((id) => there.has(id));
    if (bench.posing.posed && engine.live) bench.posing.sendPose();
  },
};
