// The bones a weighted part follows.

import { bench } from '../page/bench.js';

export const influences = {
  stackOver: '',
  stackWhile: { bone: '', low: '', high: '' },
  most: 4,
  get weightedPart() {
    return bench.selection.onePart && bench.selection.onePart.binding.kind === 'weighted'
      ? bench.selection.onePart
      : null;
  },
  get influenceRows() {
    const part = this.weightedPart;
    if (!part) return [];
    return bench.page.figure.bones
      .filter((bone) => !bone.connector)
      .map((bone) => ({
        id: bone.id,
        name: bone.name,
        colour: bench.page.state.colours[bone.id],
        on: part.binding.influences.includes(bone.id),
        locked: part.binding.locked.includes(bone.id),
        chosen: bench.selection.bones[0] === bone.id,
      }))
      .sort((a, b) => b.on - a.on);
  },
  get ownInfluences() {
    return this.influenceRows.filter((row) => row.on);
  },
  get otherInfluences() {
    return this.influenceRows.filter((row) => !row.on);
  },
  get weightedOthers() {
    return bench.page.figure
      ? bench.page.figure.parts.filter(
          (part) => part.binding.kind === 'weighted' && !bench.selection.parts.includes(part.id),
        )
      : [];
  },
  toggleInfluence(id, on) {
    bench.history.edit({
      kind: 'set_influences',
      parts: bench.selection.selectedParts(),
      add: on ? [id] : [],
      remove: on ? [] : [id],
    });
  },
  addTicked() {
    bench.history.edit({
      kind: 'set_influences',
      parts: bench.selection.selectedParts(),
      add: [...bench.binding.ticked],
      remove: [],
    });
    bench.binding.ticked = [];
  },
  setWay(way) {
    bench.history.edit({ kind: 'set_influences', parts: bench.selection.selectedParts(), way });
  },
  lockInfluence(id) {
    const part = this.weightedPart;
    bench.history.edit({ kind: 'lock_weights', part: part.id, bones: [id], locked: !part.binding.locked.includes(id) });
  },
  chooseBone(id) {
    bench.selection.bones = [id];
    bench.weights.showWeights = true;
  },
  /** How the chosen part is drawn where it lies over itself. */
  get stackWords() {
    const part = this.weightedPart;
    if (!part) return '';
    const always = part.binding.stacked.map((id) => bench.page.boneName(id)).join(', then ');
    const posed = bench.page.figure.treatments
      .filter((one) => one.kind === 'stacking' && one.part === part.id)
      .map(
        (one) =>
          `${one.bones.map((id) => bench.page.boneName(id)).join(', then ')} while ${bench.page.boneName(one.switch.bone)} is turned ${one.switch.low}° to ${one.switch.high}°`,
      );
    return `In front now: ${[always || 'children over their parents', ...posed].join('; ')}.`;
  },
  stackPart() {
    const part = this.weightedPart;
    const { bone, low, high } = this.stackWhile;
    const bones = this.stackOver ? [this.stackOver] : [];
    if (!bone) {
      bench.history.edit({ kind: 'stack_bones', parts: [part.id], bones });
      return;
    }
    if (!bones.length) {
      bench.page.warn('Choose the bone whose side comes to the front.');
      return;
    }
    bench.history.edit({
      kind: 'stack_by_pose',
      part: part.id,
      bones,
      switch: { bone, low: low === '' ? -360 : Number(low), high: high === '' ? 360 : Number(high) },
    });
  },
  pruneWeights() {
    bench.history.edit({
      kind: 'prune_weights',
      parts: bench.selection.selectedParts(),
      most: Number(this.most),
      least: 0.02,
    });
  },
  mirrorWeights(to) {
    bench.history.edit({ kind: 'mirror_weights', part: this.weightedPart.id, to });
  },
  copyWeightsFrom(id) {
    if (id) bench.history.edit({ kind: 'copy_weights', source: id, parts: bench.selection.selectedParts() });
  },
  mergeInto(id) {
    if (id && bench.selection.bones[0])
      bench.history.edit({
        kind: 'merge_influence',
        parts: bench.selection.selectedParts(),
        bone: bench.selection.bones[0],
        into: id,
      });
  },
  swapWith(id) {
    if (id && bench.selection.bones[0])
      bench.history.edit({
        kind: 'swap_bones',
        parts: bench.selection.selectedParts(),
        one: bench.selection.bones[0],
        other: id,
      });
  },
};
