// What parts follow.

import { bench } from '../page/bench.js';

const WAYS = { rigid: 'One bone, whole', weighted: 'Weights', rider: 'Riding' };

export const binding = {
  rigidBone: '',
  vertexCount: 220,
  influenceWay: 'auto',
  ticked: [],
  get bindsParts() {
    return bench.page.stageKey === 'binding' && !bench.posing.posed && bench.selection.parts.length > 0;
  },
  get followsWords() {
    const part = bench.selection.onePart;
    if (!part) return bench.selection.somePart ? `${bench.selection.parts.length} parts are selected.` : '';
    const binding = part.binding;
    if (binding.kind === 'rigid') return `follows ${bench.page.boneName(binding.bone)} as a whole`;
    if (binding.kind === 'rider') return `rides on ${bench.page.partName(binding.carrier)}`;
    if (binding.kind === 'weighted')
      return `${binding.mesh.vertex_count} vertices, moved by ${binding.influences.map((ref) => bench.page.boneName(ref)).join(', ')}`;
    return 'follows nothing yet';
  },
  bindRigid() {
    bench.history.edit({ kind: 'bind_rigid', parts: bench.selection.selectedParts(), bone: this.rigidBone });
  },
  bindWeighted() {
    const influences = this.influenceWay === 'chosen' ? [...this.ticked] : null;
    if (influences && !influences.length) {
      bench.page.warn('Tick at least one bone that may move the part.');
      return;
    }
    bench.history.edit({
      kind: 'bind_weighted',
      parts: bench.selection.selectedParts(),
      influences,
      count: this.vertexCount,
      margin: bench.mesh.margin,
    });
    bench.mesh.showMesh = true;
  },
  unbind() {
    bench.history.edit({ kind: 'unbind', parts: bench.selection.selectedParts() });
  },
  bindFigure() {
    bench.history.edit({ kind: 'bind_figure' });
    this.warnNot('Binding and tuning every part; a large figure takes some seconds.');
  },
  warnNot(sentence) {
    bench.page.message = sentence;
    bench.page.warning = false;
  },
  get shelvedWays() {
    return bench.selection.onePart
      ? bench.selection.onePart.shelved.map((one) => ({ kind: one.kind, word: WAYS[one.kind] }))
      : [];
  },
  get riderNow() {
    return bench.selection.onePart && bench.selection.onePart.binding.kind === 'rider'
      ? bench.selection.onePart.binding
      : null;
  },
  get unboundNow() {
    return bench.selection.onePart && bench.selection.onePart.binding.kind === 'unbound'
      ? bench.selection.onePart.binding
      : null;
  },
  get groupOfPart() {
    return bench.selection.onePart
      ? bench.page.figure.groups.find((one) => one.id === bench.selection.onePart.group) || null
      : null;
  },
  followAgain(binding) {
    bench.history.edit({ kind: 'follow_again', parts: bench.selection.selectedParts(), binding });
  },
  rideOnBone(id) {
    if (id) bench.history.edit({ kind: 'bind_rider', parts: bench.selection.selectedParts(), carrier: id });
  },
  setTurning(turning) {
    bench.history.edit({
      kind: 'set_rider',
      parts: bench.selection.selectedParts(),
      turning,
      pivot: this.riderNow.pivot,
    });
  },
  ownPivot(on) {
    bench.history.edit({
      kind: 'set_rider',
      parts: bench.selection.selectedParts(),
      turning: this.riderNow.turning,
      pivot: on
        ? bench.selection.onePart.drawing.pivot || [
            bench.selection.onePart.drawing.place[0] + bench.selection.onePart.drawing.size[0] / 2,
            bench.selection.onePart.drawing.place[1] + bench.selection.onePart.drawing.size[1] / 2,
          ]
        : null,
    });
  },
  groupFollows(bone) {
    bench.history.edit({ kind: 'group_follows', group: this.groupOfPart.id, bone: bone || null });
  },
  stayPut(stays) {
    bench.history.edit({ kind: 'unbind', parts: bench.selection.selectedParts(), stays });
  },
};
