// How facings are made, named, mirrored, lined up and taken away, on the card.

import { bench } from '../page/bench.js';

const USUAL = [
  { name: 'half front', angle: 45 },
  { name: 'side', angle: 90 },
  { name: 'half back', angle: 135 },
  { name: 'back', angle: 180 },
];

export const facingCard = {
  sheetShown: '', // the address of the turnaround sheet that is looked at
  newName: '',
  newAngle: '',
  /** What the facing shown has of its own, in words. */
  get loanWords() {
    if (!bench.facings.told) return '';
    if (bench.facings.mirrored) {
      const of = bench.facings.told.facings.find(({ number }) => number === bench.facings.one.mirrors);
      return `The mirror picture of ${of.name}: sides change places. What you change here is changed on ${of.name}.`;
    }
    const { parts } = bench.page.figure;
    const lent = parts.filter(({ id }) => bench.facings.told.loans.includes(id));
    if (!lent.length) return 'All parts have a drawing or a place of their own here.';
    const names = lent.slice(0, 4).map(({ name }) => name);
    const more = lent.length > 4 ? ` and ${lent.length - 4} more` : '';
    return `${lent.length} of ${parts.length} parts are lent by the nearest facing: ${names.join(', ')}${more}.`;
  },
  get usual() {
    const there = bench.facings.told ? bench.facings.told.facings : [{ name: 'front', angle: 0 }];
    return USUAL.filter(({ name, angle }) => !there.some((one) => one.name === name || one.angle === angle));
  },
  get mayMirror() {
    return Boolean(bench.facings.told) && bench.facings.told.facings.some((one) => this.mirrorable(one));
  },
  mirrorable({ mirrors, angle }) {
    if (mirrors || !angle || Math.abs(angle) === 180) return false;
    return !bench.facings.told.facings.some((one) => Math.abs(one.angle + angle) < 1);
  },
  get mayName() {
    return Boolean(bench.facings.told) && !bench.facings.mirrored;
  },
  get mayPlace() {
    return bench.facings.mayLift && !bench.facings.mirrored;
  },
  get mayLend() {
    const { parts } = bench.selection;
    return this.mayPlace && parts.some((id) => !bench.facings.told.loans.includes(id));
  },
  add({ name, angle }) {
    bench.history.edit({ kind: 'add_facing', name, angle });
  },
  addOwn() {
    const angle = Number(this.newAngle);
    if (this.newName.trim() && Number.isFinite(angle)) this.add({ name: this.newName.trim(), angle });
    [this.newName, this.newAngle] = ['', ''];
  },
  mirrorAll() {
    bench.history.edit({ kind: 'mirror_facings' });
  },
  get oneName() {
    return bench.facings.one ? bench.facings.one.name : '';
  },
  get oneAngle() {
    return bench.facings.one ? bench.facings.one.angle : 0;
  },
  rename(name) {
    bench.history.edit({ kind: 'set_facing', facing: bench.facings.shown, name });
  },
  setAngle(angle) {
    bench.history.edit({ kind: 'set_facing', facing: bench.facings.shown, angle: Number(angle) });
  },
  showSheet() {
    this.sheetShown = `/bench/${bench.page.figureId}/turnaround/${bench.page.state.revision}.png`;
  },
  leaveSheet() {
    this.sheetShown = '';
  },
  placeBones() {
    bench.history.edit({ kind: 'line_up', facing: bench.facings.shown, without_art: true });
  },
  lineUp() {
    bench.history.edit({ kind: 'line_up', facing: bench.facings.shown });
  },
  lift() {
    bench.history.edit({ kind: 'lift_facing', facing: bench.facings.shown });
  },
  lend() {
    const parts = bench.selection.parts.filter((id) => !bench.facings.told.loans.includes(id));
    bench.history.edit({ kind: 'lend_parts', parts });
  },
};
