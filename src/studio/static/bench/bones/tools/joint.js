// Move joints and tips at rest; the bones follow the pointer at once, release makes one edit.

export const joint = {
  key: 'joint',
  word: () => 'Move joint',
  building: true,
  hint: () => 'Drag a joint or a tip. What sits on the same spot goes along; with Alt it stays behind.',

  down(bench, point, event, boneId) {
    if (!boneId) return;
    bench.selection.pickBone(boneId, event);
    this.drag = { boneId, end: bench.picking.nearerEnd(boneId, point), to: null, apart: event.altKey };
  },

  move(bench, point) {
    if (!this.drag) return;
    this.drag.to = point;
    bench.tools.showJointAt(this.drag.boneId, this.drag.end, point);
  },

  up(bench) {
    const drag = this.drag;
    this.drag = null;
    if (!drag || !drag.to) return;
    const to = drag.to.map((one) => Math.round(one * 10) / 10);
    bench.history.edit({ kind: 'move_joint', bone: drag.boneId, end: drag.end, to, apart: drag.apart });
  },

  cancel(bench) {
    this.drag = null;
    bench.tools.showJointAt(null);
  },
};
