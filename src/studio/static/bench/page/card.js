// The head of the card: what is selected, its name, whether it is locked.

import { bench } from './bench.js';

export const card = {
  renameChain: true,
  get cardTitle() {
    if (bench.page.stageKey === 'delivery') return 'Delivery';
    if (bench.selection.oneBone) return bench.selection.oneBone.name;
    if (bench.selection.onePart) return bench.selection.onePart.name;
    if (bench.selection.bones.length > 1) return `${bench.selection.bones.length} bones`;
    return bench.selection.somePart ? `${bench.selection.parts.length} parts` : bench.page.figureName;
  },
  get cardSubtitle() {
    if (!bench.page.figure) return '';
    if (bench.page.stageKey === 'delivery')
      return `${bench.page.figureName}, at ${bench.page.figure.rate} frames per second`;
    if (bench.selection.oneBone)
      return bench.selection.oneBone.parent
        ? `hangs on ${bench.page.boneName(bench.selection.oneBone.parent)}`
        : 'a root bone';
    if (bench.selection.onePart) return bench.binding.followsWords;
    return `${bench.page.figure.parts.length} parts, ${bench.page.figure.bones.length} bones, ${bench.page.figure.treatments.length} treatments`;
  },
  get thingName() {
    return bench.selection.oneBone
      ? bench.selection.oneBone.name
      : bench.selection.onePart
        ? bench.selection.onePart.name
        : '';
  },
  get hasName() {
    return bench.page.stageKey !== 'delivery' && Boolean(bench.selection.oneBone || bench.selection.onePart);
  },
  get lockedWords() {
    const acted = ['trial', 'delivery'].includes(bench.page.stageKey); // nothing is built there
    return bench.page.state && !bench.page.mayBuild && !acted ? bench.page.whyNot : '';
  },
  /** Bones that carry on from the chosen one and are numbered after it: they are renamed with it, unless asked not to. */
  get chainAfter() {
    const bone = bench.selection.oneBone;
    if (!bone || bench.page.stageKey === 'delivery') return 0;
    const base = (name) => name.replace(/ \d+$/, '');
    const ids = bench.page.state.chains[bone.id].slice(1);
    const after = ids.map((id) => bench.page.boneName(id));
    const stop = after.findIndex((name) => base(name) !== base(bone.name) || name === base(name));
    return stop < 0 ? after.length : stop;
  },
  get chainWords() {
    return this.chainAfter === 1
      ? 'renames the one numbered after it, too'
      : `renames the ${this.chainAfter} numbered after it, too`;
  },
  rename(name) {
    if (bench.selection.oneBone)
      bench.history.edit({ kind: 'rename_bone', bone: bench.selection.oneBone.id, name, chain: this.renameChain });
    else if (bench.selection.onePart)
      bench.history.edit({ kind: 'rename_part', part: bench.selection.onePart.id, name });
  },
};
