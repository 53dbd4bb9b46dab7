// Set tacks on the chosen part by clicks, and brush where it is stiff.

import { strokeTool } from '../../sheet/tools/stroke.js';

export const tack = {
  key: 'tack',
  word: () => 'Set tacks',
  building: true,
  aiming: true,
  hint: (bench) => {
    if (!bench.tacks.part) return 'Choose the part that tacks shall hold first.';
    const { bones } = bench.selection;
    const what = bones.length ? bones.map((id) => bench.page.boneName(id)).join(' and ') : 'what carries the part';
    return `Click on the part: a tack that follows ${what}.`;
  },
  down(bench, point) {
    bench.tacks.set(point.map((one) => Math.round(one * 10) / 10));
  },
  move() {},
  up() {},
  cancel() {},
};

export const stiffen = strokeTool({
  key: 'stiffen',
  word: () => 'Stiffen',
  hint: (bench) =>
    bench.tacks.warp
      ? `Stroke over what shall ${bench.tacks.brush.soft ? 'be soft again' : 'keep its shape'}.`
      : 'Choose a part that has tacks first.',
  done(bench, stroke) {
    if (bench.tacks.warp) bench.tacks.stiffen(stroke);
    return false;
  },
});
