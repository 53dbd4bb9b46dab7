// What is laid down.

import { bench } from '../page/bench.js';

const KINDS = {
  cover: 'Cover',
  trim: 'Trim',
  gusset: 'Gusset',
  cap: 'Round end',
  opening: 'Open outline',
  ink_cut: 'Ink cut',
  clip: 'Clip',
  fold: 'Fold',
  stand_in: 'Stand-in',
  order: 'Order by pose',
  stacking: 'Over itself by pose',
};

export const treatments = {
  get jointTreatments() {
    if (!bench.page.figure || !bench.selection.oneBone) return [];
    return bench.page.figure.treatments.filter(
      (one) => ['cover', 'trim', 'gusset'].includes(one.kind) && one.bone === bench.selection.oneBone.id,
    );
  },
  /** The cover, trim or gusset at the chosen joint whose numbers the card shows. */
  get laid() {
    const one = this.jointTreatments[0];
    if (!one) return { there: false, kind: '', radius: '', soft: '', share: 0, whole: false, half_line: true };
    return {
      there: true,
      kind: one.kind,
      radius: one.radius === null ? '' : one.radius,
      soft: one.soft,
      share: one.share || 0,
      whole: one.kind === 'trim' ? one.whole : one.radius === null,
      half_line: one.half_line !== false,
    };
  },
  get laidWords() {
    const one = this.jointTreatments[0];
    if (!one) return '';
    if (one.kind === 'cover')
      return `Ink-less copy of ${bench.page.partName(one.source)} in front of ${bench.page.partName(one.over)}`;
    if (one.kind === 'trim')
      return `${bench.page.partName(one.part)} ${one.whole ? 'is' : 'has no ink'} ${one.whole ? 'not drawn ' : ''}where ${bench.page.partName(one.by)} is filled`;
    return `Piece of ${bench.page.partName(one.source)} over ${bench.page.partName(one.over)}`;
  },
  /** All treatments that have to do with what is selected; all there are without a selection. */
  get treatmentRows() {
    if (!bench.page.figure) return [];
    const bone = bench.selection.oneBone && bench.selection.oneBone.id;
    const mine = (one) =>
      (bone && (one.bone === bone || (one.switch && one.switch.bone === bone))) ||
      bench.selection.parts.some((id) =>
        [one.part, one.by, one.source, one.over, one.in_front_of, ...(one.parts || [])].includes(id),
      );
    return bench.page.figure.treatments
      .filter((one) =>
        bone || bench.selection.parts.length ? mine(one) : !['cover', 'trim', 'gusset'].includes(one.kind),
      )
      .map((one) => ({ id: one.id, kind: KINDS[one.kind], words: this.treatmentWords(one) }));
  },
  get laidOpen() {
    return Boolean(bench.selection.oneBone) || bench.selection.parts.length > 0;
  },
  treatmentWords(one) {
    const when = one.switch ? `, ${this.switchWords(one.switch)}` : '';
    if (one.kind === 'clip')
      return `${bench.page.partName(one.part)} ${one.erased ? 'is erased where' : 'shows only inside'} ${bench.page.partName(one.by)}${one.erased ? ' is' : ''}${when}`;
    if (one.kind === 'order')
      return `${bench.page.partName(one.part)} in front of ${bench.page.partName(one.in_front_of)}${when}`;
    if (one.kind === 'stand_in')
      return `${bench.page.partName(one.part)} for ${one.parts.map((ref) => bench.page.partName(ref)).join(' and ')}${when}`;
    if (one.kind === 'ink_cut') return one.parts.map((ref) => bench.page.partName(ref)).join(', ');
    if (one.kind === 'cover' || one.kind === 'gusset')
      return `${bench.page.partName(one.source)} over ${bench.page.partName(one.over)}`;
    if (one.kind === 'trim') return `${bench.page.partName(one.part)} by ${bench.page.partName(one.by)}`;
    return `${bench.page.partName(one.part)}${when}`;
  },
  switchWords(one) {
    const reach =
      one.low <= -360
        ? `up to ${Math.round(one.high)}°`
        : one.high >= 360
          ? `${Math.round(one.low)}° or more`
          : `${Math.round(one.low)}° to ${Math.round(one.high)}°`;
    return `only while ${bench.page.boneName(one.bone)} is turned ${reach}${one.stretch ? ` stretched ${one.stretch} times` : ''}`;
  },
  liftTreatment(id) {
    bench.history.edit({ kind: 'lift_treatment', treatment: id });
  },
  /** Lay what lies at the joint anew with other numbers. */
  setLaid(change) {
    const one = this.jointTreatments[0];
    if (!one) return;
    const kept = { bone: one.bone, soft: one.soft, inks: one.inks };
    if (one.radius !== null) kept.radius = one.radius;
    if (one.kind === 'cover')
      bench.history.edit({
        kind: 'lay_cover',
        ...kept,
        source: one.source,
        over: one.over,
        whole: one.radius === null,
        half_line: one.half_line,
        ...change,
      });
    else if (one.kind === 'trim')
      bench.history.edit({
        kind: 'lay_trim',
        ...kept,
        part: one.part,
        by: one.by,
        whole: one.whole,
        everywhere: one.radius === null,
        ...change,
      });
    else
      bench.history.edit({
        kind: 'lay_gusset',
        ...kept,
        source: one.source,
        over: one.over,
        cut: one.cut,
        share: one.share,
        ...change,
      });
  },
  setLaidNumber(name, value) {
    if (value !== '') this.setLaid({ [name]: Number(value) });
  },
  setLaidWhole(on) {
    this.setLaid({ whole: on });
  },
  setHalfLine(on) {
    this.setLaid({ half_line: on });
  },
  /** The colours of ink the parts at the joint have; one may be treated alone. */
  get laidInks() {
    const one = this.jointTreatments[0];
    if (!one) return [];
    const part = bench.page.figure.parts.find((each) => each.id === (one.part || one.source));
    return ((part && part.drawing.inks) || []).map((ink) => ink.colour);
  },
  get laidInk() {
    const one = this.jointTreatments[0];
    return one && one.inks ? one.inks[0] : '';
  },
  setLaidInk(colour) {
    this.setLaid({ inks: colour ? [colour] : null });
  },
  makeStandIn() {
    bench.history.edit({ kind: 'make_stand_in', bone: bench.selection.oneBone.id });
  },
  addFold() {
    bench.history.edit({ kind: 'draw_fold', bone: bench.selection.oneBone.id });
  },
};
