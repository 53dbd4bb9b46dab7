// Draw along: one stroke down a limb lays joints on its middle line.

import { strokeTool } from './stroke.js';

export const along = strokeTool({
  key: 'along',
  word: () => 'Draw along',
  hint: () => 'Stroke down a limb, from its root to its end; joints come to lie on its middle.',
  begun: (bench, boneId) => boneId || bench.selectedBone(),
  done(bench, stroke, parent) { bench.edit({ kind: 'draw_along', stroke, parent, joints: bench.alongJoints ? Number(bench.alongJoints) : null }); },
});
