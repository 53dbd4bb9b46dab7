// Select parts and bones; another click takes what lies beneath, a box on the sheet all in it. Posed: drag a bone to turn
// it, drag the root's joint to move the figure.

import { carried, scene } from '../../page/scene.js';
import { engine } from '../../page/engine.js';
import { partsAt } from '../picking.js';

const STILL = 4; // px on the screen under which a press is a click

export const select = {
  key: 'select',
  word: (bench) => (bench.posing.posed ? 'Turn' : 'Select'),
  hint: (bench) =>
    bench.posing.posed
      ? 'Drag a bone to turn it; drag the disc of a root bone to move the figure.'
      : select.beneath
        ? 'Another click takes what lies beneath.'
        : '',
  beneath: false,

  down(bench, point, event, boneId) {
    if (!boneId) {
      this.box = { from: point, to: point, more: event.shiftKey || event.ctrlKey };
      return;
    }
    bench.selection.pickBone(boneId, event);
    if (!bench.posing.posed) return;
    const bone = scene.figure.bones.find((one) => one.id === boneId);
    const joint = carried(boneId, bone.joint);
    const grabbedDisc = event.target.classList.contains('bone-disc');
    if (!bone.parent && grabbedDisc) {
      this.drag = { boneId, from: point, move: bench.posing.moveOf(boneId) };
    } else {
      this.drag = {
        boneId,
        joint,
        last: Math.atan2(point[1] - joint[1], point[0] - joint[0]),
        turn: bench.posing.turnOf(boneId),
      };
    }
  },

  move(bench, point) {
    if (this.box) {
      this.box.to = point;
      const [[a, b], [c, d]] = [this.box.from, point];
      if (this.isDrawn())
        bench.sheet.drawStroke([
          [a, b],
          [c, b],
          [c, d],
          [a, d],
          [a, b],
        ]);
      return;
    }
    const drag = this.drag;
    if (!drag) return;
    if (drag.move) {
      bench.posing.poseMove(drag.boneId, [
        drag.move[0] + point[0] - drag.from[0],
        drag.move[1] + point[1] - drag.from[1],
      ]);
      return;
    }
    const angle = Math.atan2(point[1] - drag.joint[1], point[0] - drag.joint[0]);
    let step = angle - drag.last;
    step -= 2 * Math.PI * Math.round(step / (2 * Math.PI));
    drag.last = angle;
    drag.turn += (step * 180) / Math.PI;
    bench.posing.poseTurn(drag.boneId, drag.turn);
  },

  isDrawn() {
    const { from, to } = this.box;
    return Math.hypot(to[0] - from[0], to[1] - from[1]) * engine.camera.scale > STILL;
  },

  up(bench, point, event) {
    const { box } = this;
    const drawn = box && this.isDrawn();
    this.cancel(bench);
    if (drawn) {
      const [[a, b], [c, d]] = [box.from, box.to];
      bench.picking.pickBox([Math.min(a, c), Math.min(b, d), Math.max(a, c), Math.max(b, d)], box.more);
    } else if (box) this.click(bench, box.from, event);
  },

  /** The frontmost part at a spot; where it was clicked just before, the one beneath the one taken then. */
  async click(bench, point, event) {
    const found = await partsAt(bench.picking.items(), point);
    const again =
      this.clicked && Math.hypot(point[0] - this.clicked[0], point[1] - this.clicked[1]) * engine.camera.scale < STILL;
    const at =
      again && !event.shiftKey && !event.ctrlKey && bench.selection.parts.length === 1
        ? found.indexOf(bench.selection.parts[0])
        : -1;
    this.clicked = point;
    this.beneath = found.length > 1;
    if (found.length) bench.selection.pickPart(found[(at + 1) % found.length], event);
    else bench.selection.pickNothing();
  },
  cancel(bench) {
    this.drag = null;
    if (this.box) {
      this.box = null;
      bench.sheet.drawStroke(null);
    }
  },
};
