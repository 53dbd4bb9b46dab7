// Select parts and bones. Posed: drag a bone to turn it, drag the root's joint to move the figure.

import { carried, scene } from '../scene.js';
import { partAt } from '../picking.js';

export const select = {
  key: 'select',
  word: (bench) => (bench.posed ? 'Turn' : 'Select'),
  hint: (bench) => (bench.posed ? 'Drag a bone to turn it; drag the disc of a root bone to move the figure.' : ''),

  down(bench, point, event, boneId) {
    if (!boneId) {
      partAt(bench.items(), point).then((part) => (part ? bench.pickPart(part, event) : bench.pickNothing()));
      return;
    }
    bench.pickBone(boneId, event);
    if (!bench.posed) return;
    const bone = scene.figure.bones.find((one) => one.id === boneId);
    const joint = carried(boneId, bone.joint);
    const grabbedDisc = event.target.classList.contains('bone-disc');
    if (!bone.parent && grabbedDisc) {
      this.drag = { boneId, from: point, move: bench.moveOf(boneId) };
    } else {
      this.drag = { boneId, joint, last: Math.atan2(point[1] - joint[1], point[0] - joint[0]), turn: bench.turnOf(boneId) };
    }
  },

  move(bench, point) {
    const drag = this.drag;
    if (!drag) return;
    if (drag.move) {
      bench.poseMove(drag.boneId, [drag.move[0] + point[0] - drag.from[0], drag.move[1] + point[1] - drag.from[1]]);
      return;
    }
    const angle = Math.atan2(point[1] - drag.joint[1], point[0] - drag.joint[0]);
    let step = angle - drag.last;
    step -= 2 * Math.PI * Math.round(step / (2 * Math.PI));
    drag.last = angle;
    drag.turn += (step * 180) / Math.PI;
    bench.poseTurn(drag.boneId, drag.turn);
  },

  up() { this.drag = null; },
  cancel() { this.drag = null; },
};
