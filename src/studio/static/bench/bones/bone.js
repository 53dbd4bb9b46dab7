// A bone at rest.

import { bench } from '../page/bench.js';

export const bone = {
  pieces: 2,
  onlyOwn: false,
  get bonePlace() {
    const bone = bench.selection.oneBone;
    if (!bone) return { jx: 0, jy: 0, tx: 0, ty: 0, length: '' };
    const length = Math.hypot(bone.tip[0] - bone.joint[0], bone.tip[1] - bone.joint[1]);
    return {
      jx: bone.joint[0],
      jy: bone.joint[1],
      tx: bone.tip[0],
      ty: bone.tip[1],
      length: Math.round(length * 10) / 10,
    };
  },
  get boneParent() {
    return bench.selection.oneBone ? bench.selection.oneBone.parent || '' : '';
  },
  placeJoint(end, axis, value) {
    if (value === '') return;
    const to = [...bench.selection.oneBone[end]];
    to[axis] = Number(value);
    bench.history.edit({ kind: 'move_joint', bone: bench.selection.oneBone.id, end, to });
  },
  hangOn(parent) {
    bench.history.edit({ kind: 'hang_bone', bone: bench.selection.oneBone.id, parent: parent || null });
  },
  deleteBones() {
    if (!bench.selection.bones.length || !bench.page.mayBuild) return;
    const followers = bench.page.figure.parts.filter(
      (part) =>
        bench.selection.bones.includes(part.binding.bone) ||
        (part.binding.influences || []).some((ref) => bench.selection.bones.includes(ref)),
    );
    if (
      followers.length &&
      !confirm(`${followers.length} part(s) follow this. They will follow the bone it hangs on. Delete?`)
    )
      return;
    bench.history.edit({ kind: 'delete_bones', bones: [...bench.selection.bones] });
  },
  get boneLimits() {
    const bone = bench.selection.chosenBones[0];
    return bone && bone.limits ? bone.limits : { low: '', high: '', soft: '' };
  },
  get boneHue() {
    return bench.selection.oneBone ? Math.round(bench.selection.oneBone.hue) : 0;
  },
  get allLocked() {
    return bench.selection.chosenBones.length > 0 && bench.selection.chosenBones.every((bone) => bone.locked);
  },
  get allLinks() {
    return bench.selection.chosenBones.length > 0 && bench.selection.chosenBones.every((bone) => bone.connector);
  },
  toggleOnlyOwn() {
    this.onlyOwn = !this.onlyOwn;
  },
  setLength(value) {
    if (Number(value) >= 1)
      bench.history.edit({ kind: 'set_length', bone: bench.selection.oneBone.id, length: Number(value) });
  },
  splitBone() {
    bench.history.edit({ kind: 'split_bone', bone: bench.selection.oneBone.id, pieces: Number(this.pieces) });
  },
  dissolveJoint() {
    bench.history.edit({ kind: 'dissolve_joint', bone: bench.selection.oneBone.id });
  },
  joinOnto(id) {
    if (id) bench.history.edit({ kind: 'join_chains', bone: bench.selection.oneBone.id, onto: id });
  },
  setLimit(name, value) {
    const now = { low: -120, high: 120, soft: 0, ...(bench.selection.chosenBones[0].limits || {}) };
    now[name] = Number(value);
    bench.history.edit({
      kind: 'set_limits',
      bones: [...bench.selection.bones],
      limits: { low: Math.min(now.low, 0), high: Math.max(now.high, 0), soft: Math.max(now.soft, 0) },
    });
  },
  noLimits() {
    bench.history.edit({ kind: 'set_limits', bones: [...bench.selection.bones], limits: null });
  },
  lockBones() {
    bench.history.edit({ kind: 'lock_bones', bones: [...bench.selection.bones], locked: !this.allLocked });
  },
  onlyLink() {
    bench.history.edit({ kind: 'only_link', bones: [...bench.selection.bones], links: !this.allLinks });
  },
  setHue(value) {
    bench.history.edit({ kind: 'colour_bones', bones: [...bench.selection.bones], hue: Number(value) % 360 });
  },
  mirrorBones(about) {
    bench.history.edit({ kind: 'mirror_bones', bones: [...bench.selection.bones], about });
  },
  /** Bones that are drawn: all, or only those of what is selected and what moves it. */
  shownBones() {
    if (!this.onlyOwn || !(bench.selection.parts.length || bench.selection.bones.length)) return null;
    const own = new Set(bench.selection.bones);
    for (const part of bench.page.figure.parts.filter((one) => bench.selection.parts.includes(one.id))) {
      if (part.binding.bone) own.add(part.binding.bone);
      for (const ref of part.binding.influences || []) own.add(ref);
    }
    for (const bone of bench.page.figure.bones)
      if (own.has(bone.parent) && bench.selection.bones.includes(bone.parent)) own.add(bone.id);
    return own;
  },
};
