// Draw a chain: click joint after joint, Enter ends it, Escape lets go. Begins at the selected bone's tip when there is one.
// By keys: arrows move a crosshair, Enter sets a joint there, Enter again on the same spot ends the chain.
// Joints snap to pivots, to other joints and to the middle of the part under them; with Alt they stay where they are put.

import { engine } from '../../page/engine.js';

const FARTHEST = 12; // px on the screen a joint may jump to what is meant

function isClose(one, other) {
  return Math.hypot(one[0] - other[0], one[1] - other[1]) * engine.camera.scale <= FARTHEST;
}

export const chain = {
  key: 'chain',
  word: () => 'Draw chain',
  building: true,
  aiming: true,
  byKeys: true,
  points: [],
  parent: null,
  snap: null,
  hint: (bench) =>
    bench.tools.draftCount > 1
      ? 'Click the next joint; Enter ends the chain, Escape drops it, Alt does not snap.'
      : bench.tools.draftCount === 1
        ? 'Click the next joint.'
        : chain.parent
          ? `Branching from ${bench.page.boneName(chain.parent)}: click the first joint.`
          : 'Click the first joint, then the next; Enter ends the chain. By keys: arrows aim, Enter sets a joint, Enter again ends.',

  begin(bench) {
    this.points = [];
    this.parent = bench.selection.selectedBone();
  },

  down(bench, point, event, boneId) {
    // the first click on another bone branches from it: at its tip or joint where that is close by, else right here
    if (!this.points.length && boneId && !event.altKey) {
      this.parent = boneId;
      const end = bench.picking.nearestEnd(boneId, point);
      this.points.push(isClose(end, point) ? end : this.meant(point, event));
    } else {
      this.points.push(this.meant(point, event));
    }
    bench.tools.drawDraft(this.points, point);
  },

  /** Where the pointer is taken to mean to be, if the answer is about here and Alt is not held. */
  meant(point, event) {
    const { snap } = this;
    const near =
      snap &&
      snap.word &&
      isClose(snap.point, point) &&
      Math.hypot(snap.asked[0] - point[0], snap.asked[1] - point[1]) < 3;
    return near && !event.altKey ? [...snap.point] : point;
  },

  move(bench, point, event) {
    bench.tools.drawDraft(this.points, point);
    if (event && event.altKey) {
      this.snap = null;
      bench.sheet.showSnap(null);
      return;
    }
    bench.tools.snapAt(point, (found, word) => {
      this.snap = { point: found, word: isClose(found, point) ? word : '', asked: point };
      bench.sheet.showSnap(this.snap);
    });
  },
  up() {},

  /** Where the crosshair begins: at the tip the chain branches from. */
  aimFrom(bench) {
    return this.parent ? [...bench.page.figure.bones.find((one) => one.id === this.parent).tip] : null;
  },
  /** The crosshair lies on the joint set last: the chain ends there. */
  endsAt(point) {
    const last = this.points[this.points.length - 1];
    return Boolean(last) && Math.hypot(last[0] - point[0], last[1] - point[1]) < 0.5;
  },

  enter(bench) {
    if (this.points.length < 2) {
      bench.page.warn('A chain needs two joints at least; click once more, or Escape to let go.');
      return;
    }
    const joints = this.points.map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
    bench.history.edit({ kind: 'draw_chain', joints, parent: this.parent });
    this.cancel(bench);
    bench.tools.useTool('select');
  },

  cancel(bench) {
    this.points = [];
    this.parent = null;
    this.snap = null;
    bench.sheet.showSnap(null);
    bench.tools.drawDraft([], null);
  },
};
