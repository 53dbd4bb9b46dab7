// Tools of the Seams stage: open an outline along a stroke, draw a fold, cut a gusset's outer end away.

import { strokeTool } from '../../sheet/tools/stroke.js';

const FEW = 60; // points of a line that is kept as it was drawn

export const opening = strokeTool({
  key: 'opening',
  word: () => 'Open outline',
  hint: (bench) =>
    bench.selection.onePart
      ? `Stroke along the edge of ${bench.selection.onePart.name} where its line should taper away.`
      : 'Select the part whose outline should open.',
  done(bench, stroke) {
    if (!bench.selection.onePart) {
      bench.page.warn('Select the part whose outline should open.');
      return false;
    }
    bench.history.edit({
      kind: 'open_outline',
      part: bench.selection.onePart.id,
      start: stroke[0],
      end: stroke[stroke.length - 1],
      inks: bench.among.inksAsked(),
    });
    return true;
  },
});

export const fold = strokeTool({
  key: 'fold',
  word: () => 'Fold',
  most: FEW,
  hint: (bench) =>
    bench.selection.oneBone
      ? `Draw a fold; it fades in as ${bench.selection.oneBone.name} bends and rides ${bench.selection.onePart ? bench.selection.onePart.name : 'the part above the joint'}.`
      : 'Select the bone whose bend should show the fold.',
  done(bench, line) {
    if (!bench.selection.oneBone) {
      bench.page.warn('Select the bone whose bend should show the fold.');
      return false;
    }
    bench.history.edit({
      kind: 'draw_fold',
      bone: bench.selection.oneBone.id,
      part: bench.selection.onePart ? bench.selection.onePart.id : null,
      line,
    });
    return true;
  },
});

export const cut = strokeTool({
  key: 'cut',
  word: () => 'Gusset cut',
  most: FEW,
  hint: (bench) =>
    bench.selection.oneBone
      ? 'Draw across the limb where the outer end of the gusset is cut away.'
      : 'Select the bone at whose joint the gusset should lie.',
  done(bench, line) {
    if (!bench.selection.oneBone) {
      bench.page.warn('Select the bone at whose joint the gusset should lie.');
      return false;
    }
    const known = bench.treatments.jointTreatments.find((one) => one.kind === 'gusset');
    bench.history.edit({
      kind: 'lay_gusset',
      bone: bench.selection.oneBone.id,
      cut: line,
      ...(known ? { radius: known.radius, soft: known.soft, share: known.share, inks: known.inks } : {}),
    });
    return true;
  },
});
