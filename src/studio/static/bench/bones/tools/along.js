// Draw along: one stroke down a limb lays joints on its middle line.

import { strokeTool } from '../../sheet/tools/stroke.js';

export const along = strokeTool({
  key: 'along',
  word: () => 'Draw along',
  hint: () => 'Stroke down a limb, from its root to its end; joints come to lie on its middle.',
  begun: (bench, boneId) => boneId || bench.selection.selectedBone(),
  done(bench, stroke, parent) {
    bench.history.edit({
      kind: 'draw_along',
      stroke,
      parent,
      joints: bench.setup.alongJoints ? Number(bench.setup.alongJoints) : null,
    });
  },
});
