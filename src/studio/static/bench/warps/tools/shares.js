// Brush the shares by which handles of a warp follow the chosen bone.

import { strokeTool } from '../../sheet/tools/stroke.js';

export const shares = strokeTool({
  key: 'shares',
  word: () => 'Brush shares',
  hint: (bench) =>
    bench.ties.brushed
      ? `Stroke over handles: they follow ${bench.page.boneName(bench.ties.brushed)} ${bench.ties.brush.less ? 'less' : 'more'}.`
      : 'Choose a warp and one bone first.',
  done(bench, stroke) {
    if (bench.ties.brushed) bench.ties.brushOver(stroke);
    else bench.page.warn('Choose a warp and one bone first.');
    return false;
  },
});
