// A part on the sheet: place, look, group.

import { bench } from '../page/bench.js';

export const BLENDS = [
  'normal',
  'multiply',
  'screen',
  'overlay',
  'darken',
  'lighten',
  'color-dodge',
  'color-burn',
  'hard-light',
  'soft-light',
  'difference',
  'exclusion',
  'hue',
  'saturation',
  'color',
  'luminosity',
  'plus-lighter',
  'source-atop',
  'destination-in',
  'destination-out',
  'destination-atop',
];

export const part = {
  get partFacts() {
    const part = bench.selection.onePart;
    if (!part) return { opacity: 1, blend: 'normal', order: 1, size: '', group: '', visible: true, x: 0, y: 0 };
    const group = bench.page.figure.groups.find((one) => one.id === part.group);
    return {
      opacity: part.opacity,
      blend: part.blend,
      order: bench.page.figure.parts.indexOf(part) + 1,
      size: `${part.drawing.size[0]} × ${part.drawing.size[1]} px`,
      group: group ? group.name : '',
      visible: part.visible,
      x: part.drawing.place[0],
      y: part.drawing.place[1],
    };
  },
  setOpacity(value) {
    bench.history.edit({ kind: 'set_opacity', parts: [bench.selection.onePart.id], opacity: Number(value) });
  },
  placePart(axis, value) {
    if (value === '') return;
    const to = [...bench.selection.onePart.drawing.place];
    to[axis] = Number(value);
    bench.history.edit({ kind: 'place_part', part: bench.selection.onePart.id, to });
  },
  groupParts(name) {
    bench.history.edit({ kind: 'group_parts', parts: bench.selection.selectedParts(), group: name.trim() || null });
  },
  copyParts(mirror) {
    const names = bench.page.figure.parts
      .filter((part) => bench.selection.parts.includes(part.id))
      .map((part) => part.name)
      .join(' ');
    if (bench.artsheet.findText) {
      bench.history.edit({
        kind: 'copy_parts',
        parts: bench.selection.selectedParts(),
        mirror,
        find: bench.artsheet.findText,
        put: bench.artsheet.putText,
      });
      return;
    }
    const side = mirror ? bench.artsheet.sidePairs.find(([from]) => names.includes(from)) : null;
    bench.history.edit({
      kind: 'copy_parts',
      parts: bench.selection.selectedParts(),
      mirror,
      find: side ? side[0] : '',
      put: side ? side[1] : '',
    });
  },
  leaveOut() {
    bench.history.edit({ kind: 'leave_out_parts', parts: bench.selection.selectedParts(), out: !this.isLeftOut });
  },
  setOrder(value) {
    bench.history.edit({
      kind: 'order_part',
      part: bench.selection.onePart.id,
      position: Math.max(Number(value) - 1, 0),
    });
  },
  get blends() {
    return BLENDS;
  },
  get tint() {
    return (bench.selection.onePart && bench.selection.onePart.tint) || { colour: '#3a5a80', amount: 0 };
  },
  get canMerge() {
    return bench.selection.parts.length > 1;
  },
  get canFlatten() {
    return Boolean(bench.selection.onePart && bench.selection.onePart.blend !== 'normal');
  },
  get isLocked() {
    return bench.selection.chosenParts().some((part) => part.locked);
  },
  get isLeftOut() {
    return bench.selection.chosenParts().some((part) => part.left_out);
  },
  get standsFor() {
    if (!bench.selection.onePart) return '';
    if (bench.selection.onePart.alternate_of)
      return `an alternate of ${bench.page.partName(bench.selection.onePart.alternate_of)}`;
    return bench.selection.onePart.facing_of
      ? `a facing of ${bench.page.partName(bench.selection.onePart.facing_of)}`
      : '';
  },
  lockParts() {
    bench.history.edit({ kind: 'lock_parts', parts: bench.selection.selectedParts(), locked: !this.isLocked });
  },
  setTint(colour, amount) {
    bench.history.edit({
      kind: 'tint_parts',
      parts: bench.selection.selectedParts(),
      tint: Number(amount) > 0 ? { colour, amount: Math.min(Number(amount), 1) } : null,
    });
  },
  tintColour(colour) {
    this.setTint(colour, this.tint.amount || 0.3);
  },
  tintAmount(amount) {
    this.setTint(this.tint.colour, amount);
  },
  setBlend(blend) {
    bench.history.edit({ kind: 'blend_parts', parts: bench.selection.selectedParts(), blend });
  },
  mergeParts() {
    bench.history.edit({ kind: 'merge_parts', parts: bench.selection.selectedParts() });
  },
  flatten() {
    const at = bench.page.figure.parts.indexOf(bench.selection.onePart);
    const below = bench.page.figure.parts
      .slice(0, at)
      .reverse()
      .find((part) => part.visible && !part.left_out);
    if (!below) {
      bench.page.warn('Nothing lies below this part.');
      return;
    }
    bench.history.edit({ kind: 'merge_parts', parts: [below.id, bench.selection.onePart.id] });
  },
  deleteParts() {
    const count = bench.selection.parts.length;
    const bound = bench.selection.chosenParts().filter((part) => part.binding.kind !== 'unbound').length;
    if (bound && !confirm(`${bound} of ${count} part(s) are bound. Delete?`)) return;
    bench.history.edit({ kind: 'delete_parts', parts: bench.selection.selectedParts() });
  },
};
