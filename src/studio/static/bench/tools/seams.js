// Tools of the Seams stage: open an outline along a stroke, draw a fold, cut a gusset's outer end away.

import { strokeTool } from './stroke.js';

const FEW = 60; // points of a line that is kept as it was drawn

export const opening = strokeTool({
  key: 'opening',
  word: () => 'Open outline',
  hint: (bench) => (bench.onePart ? `Stroke along the edge of ${bench.onePart.name} where its line should taper away.` : 'Select the part whose outline should open.'),
  done(bench, stroke) {
    if (!bench.onePart) { bench.warn('Select the part whose outline should open.'); return false; }
    bench.edit({ kind: 'open_outline', part: bench.onePart.id, start: stroke[0], end: stroke[stroke.length - 1], inks: bench.inksAsked() });
    return true;
  },
});

export const fold = strokeTool({
  key: 'fold',
  word: () => 'Fold',
  most: FEW,
  hint: (bench) => (bench.oneBone ? `Draw a fold; it fades in as ${bench.oneBone.name} bends and rides ${bench.onePart ? bench.onePart.name : 'the part above the joint'}.` : 'Select the bone whose bend should show the fold.'),
  done(bench, line) {
    if (!bench.oneBone) { bench.warn('Select the bone whose bend should show the fold.'); return false; }
    bench.edit({ kind: 'draw_fold', bone: bench.oneBone.id, part: bench.onePart ? bench.onePart.id : null, line });
    return true;
  },
});

export const cut = strokeTool({
  key: 'cut',
  word: () => 'Gusset cut',
  most: FEW,
  hint: (bench) => (bench.oneBone ? 'Draw across the limb where the outer end of the gusset is cut away.' : 'Select the bone at whose joint the gusset should lie.'),
  done(bench, line) {
    if (!bench.oneBone) { bench.warn('Select the bone at whose joint the gusset should lie.'); return false; }
    const known = bench.jointTreatments.find((one) => one.kind === 'gusset');
    bench.edit({ kind: 'lay_gusset', bone: bench.oneBone.id, cut: line, ...(known ? { radius: known.radius, soft: known.soft, share: known.share, inks: known.inks } : {}) });
    return true;
  },
});
