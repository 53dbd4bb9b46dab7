// Draw the line of a curve over the parts that shall follow it.

import { strokeTool } from '../../sheet/tools/stroke.js';

export const line = strokeTool({
  key: 'line',
  word: () => 'Draw a curve',
  hint: (bench) =>
    bench.warps.mayLay
      ? 'Stroke along the chosen parts, from their root to their end; they follow that line.'
      : 'Choose the parts that shall follow the line first.',
  done(bench, stroke) {
    bench.warps.kind = 'curve';
    bench.warps.lay({ stroke });
    bench.tools.useTool('handle');
    return false;
  },
});
