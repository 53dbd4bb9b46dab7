// Select parts and bones; another click takes what lies beneath, a box on the sheet all in it. Posed: drag a bone to turn
// it, drag the root's joint to move the figure.

import { carried, inFrame, scene, triangleAt } from '../../page/scene.js';
import { engine } from '../../page/engine.js';
import { boxOf } from '../../page/picking.js';
import { partsAt } from '../picking.js';

const STILL = 4; // px on the screen under which a press is a click

export const select = {
  key: 'select',
  word: (bench) => (bench.posing.posed ? 'Turn' : 'Select'),
  hint: (bench) =>
    bench.posing.posed
      ? bench.placing.words || 'Drag a bone to turn it; drag the disc of a root bone to move the figure.'
      : select.beneath
        ? 'Another click takes what lies beneath.'
        : '',
  beneath: false,

  down(bench, point, event, boneId) {
    if (!boneId && this.grips(bench, point)) {
      this.drag = this.gripped(bench, point, event);
      return;
    }
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
      this.letGoOf(bench, this.drag);
    }
  },

  /** A bone that a goal poses goes on by turns when it is turned by hand; the picture does not move at that. */
  async letGoOf(bench, drag) {
    const reach = bench.reaches.posing(drag.boneId);
    if (!reach) return;
    const before = drag.turn;
    drag.waits = true;
    await bench.reaches.takeOver('turns', reach);
    drag.turn += bench.posing.turnOf(drag.boneId) - before;
    drag.waits = false;
    bench.page.message = `It goes on by turns now; “Go on by the goal” on the Controls card lets “${reach.name}” reach again.`;
    if (drag.moved) bench.posing.poseTurn(drag.boneId, drag.turn);
  },

  /** Whether a press here takes hold of the chosen part's art. */
  grips(bench, point) {
    const part = bench.posing.posed && bench.selection.onePart;
    if (!part || !bench.placing.grip) return false;
    const items = bench.picking.items().filter((item) => item.part === part.id && item.variant === 'full');
    return items.some((item) => triangleAt(item, point));
  },

  /** Holding the art: its bone is turned about its joint; itself or its group is moved, turned or sized. */
  gripped(bench, point, event) {
    const { grip } = bench.placing;
    if (grip.key === 'bone') {
      const joint = carried(grip.id, scene.figure.bones.find((one) => one.id === grip.id).joint);
      const last = Math.atan2(point[1] - joint[1], point[0] - joint[0]);
      const drag = { boneId: grip.id, joint, last, turn: bench.posing.turnOf(grip.id), art: true };
      this.letGoOf(bench, drag);
      return drag;
    }
    const channel = (name) => bench.posing.channel(grip.id, name);
    const [x, y, ...frame] = engine.carried || [...point, 1, 0, 0, 1];
    return {
      grip: grip.id,
      art: true,
      way: event.shiftKey ? 'turn' : event.altKey ? 'size' : 'move',
      from: point,
      pivot: [x, y],
      frame,
      move: bench.posing.moveOf(grip.id),
      turn: channel('turn'),
      size: [channel('size.x'), channel('size.y')],
      last: Math.atan2(point[1] - y, point[0] - x),
    };
  },

  dragArt(bench, drag, point) {
    drag.moved = true;
    const round = (value, by) => Math.round(value * by) / by;
    if (drag.way === 'move') {
      const [dx, dy] = inFrame(drag.frame, [point[0] - drag.from[0], point[1] - drag.from[1]]);
      bench.posing.setChannels(drag.grip, {
        'move.x': round(drag.move[0] + dx, 10),
        'move.y': round(drag.move[1] + dy, 10),
      });
    } else if (drag.way === 'turn') {
      const angle = Math.atan2(point[1] - drag.pivot[1], point[0] - drag.pivot[0]);
      let step = angle - drag.last;
      step -= 2 * Math.PI * Math.round(step / (2 * Math.PI));
      drag.last = angle;
      drag.turn += (step * 180) / Math.PI;
      bench.posing.setChannels(drag.grip, { turn: round(drag.turn, 100) });
    } else {
      const away = (at) => Math.max(Math.hypot(at[0] - drag.pivot[0], at[1] - drag.pivot[1]), 1);
      const by = away(point) / away(drag.from);
      const [x, y] = drag.size.map((one) => Math.min(Math.max(round(one * by, 1000), -20), 20));
      bench.posing.setChannels(drag.grip, { 'size.x': x, 'size.y': y });
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
    if (drag.grip) {
      this.dragArt(bench, drag, point);
      return;
    }
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
    drag.moved = true;
    if (!drag.waits) bench.posing.poseTurn(drag.boneId, drag.turn);
  },

  isDrawn() {
    const { from, to } = this.box;
    return Math.hypot(to[0] - from[0], to[1] - from[1]) * engine.camera.scale > STILL;
  },

  up(bench, point, event) {
    const { box, drag } = this;
    const drawn = box && this.isDrawn();
    this.cancel(bench);
    if (drawn) {
      bench.picking.pickBox(boxOf(box.from, box.to), box.more);
    } else if (box) this.click(bench, box.from, event);
    else if (drag && drag.art && !drag.moved) this.click(bench, point, event);
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
