// Parts drawn with others: clips, order by pose, stand-ins.

import { bench } from '../page/bench.js';

export const among = {
  clipBy: '',
  inkAsked: '',
  clipErased: false,
  clipUnseen: false,
  switchFields: { bone: '', low: '', high: '', fade: 0, stretch: '' },
  /** A switch as the fields tell it, or none. */
  switchSet() {
    const { bone, low, high, fade, stretch } = this.switchFields;
    if (!bone) return null;
    return {
      bone,
      low: low === '' ? -360 : Number(low),
      high: high === '' ? 360 : Number(high),
      fade: Number(fade) || 0,
      stretch: stretch === '' ? null : Number(stretch),
    };
  },
  clipPart() {
    bench.history.edit({
      kind: 'clip_part',
      part: bench.selection.onePart.id,
      by: this.clipBy,
      erased: this.clipErased,
      unseen: this.clipUnseen,
      switch: this.switchSet(),
    });
  },
  orderByPose() {
    if (!this.switchSet()) {
      bench.page.warn('Choose the bone whose turn brings the part to the front.');
      return;
    }
    bench.history.edit({
      kind: 'order_by_pose',
      part: bench.selection.onePart.id,
      in_front_of: this.clipBy,
      switch: this.switchSet(),
    });
  },
  standInFor() {
    if (!this.switchSet()) {
      bench.page.warn('Choose the bone and the angles at which the part stands in.');
      return;
    }
    const [first, ...others] = bench.selection.parts;
    bench.history.edit({ kind: 'stand_in_for', part: first, parts: others, switch: this.switchSet() });
  },
  cutInk() {
    bench.history.edit({ kind: 'cut_ink', parts: bench.selection.selectedParts(), inks: this.inksAsked() });
  },
  /** The colours of lines of the selected parts, of which one alone may be opened or cut. */
  get partInks() {
    const inks = bench.page.figure
      ? bench.page.figure.parts
          .filter((one) => bench.selection.parts.includes(one.id))
          .flatMap((one) => one.drawing.inks || [])
      : [];
    return [...new Set(inks.map((ink) => ink.colour))];
  },
  inksAsked() {
    return this.partInks.includes(this.inkAsked) ? [this.inkAsked] : null;
  },
  reorder(to) {
    bench.history.edit({ kind: 'reorder_parts', parts: bench.selection.selectedParts(), to });
  },
  putInFront() {
    bench.history.edit({
      kind: 'reorder_parts',
      parts: bench.selection.selectedParts(),
      to: 'just_in_front_of',
      other: this.clipBy,
    });
  },
  get allBones() {
    return bench.page.figure ? bench.page.figure.bones.map(({ id, name }) => ({ id, name })) : [];
  },
  get otherParts() {
    return bench.page.figure
      ? bench.page.figure.parts
          .filter((one) => !bench.selection.parts.includes(one.id))
          .map(({ id, name }) => ({ id, name }))
      : [];
  },
};
