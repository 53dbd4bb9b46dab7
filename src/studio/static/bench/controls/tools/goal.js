// Drag goals: the limb goes along. The mark beside a knee or an elbow is clicked to bend it to the other side.

import { engine } from '../../page/engine.js';
import { frameOf, inFrame } from '../../page/scene.js';
import { select } from '../../sheet/tools/select.js';
import { sideMark } from '../drawing.js';

const NEAR = 13; // px on the screen within which a goal is hit
const BESIDE = 10; // and the mark of a side

function away([x, y], point) {
  return Math.hypot(x - point[0], y - point[1]) * engine.camera.scale;
}

/** The goal nearest to a point, or null. */
export function goalAt(bench, point) {
  const found = bench.reaches.all
    .map((reach) => ({ reach, away: away(bench.reaches.placeOf(reach), point) }))
    .filter((one) => one.away <= NEAR)
    .sort((a, b) => a.away - b.away);
  return found.length ? found[0].reach : null;
}

export const goal = {
  key: 'goal',
  word: () => 'Drag goals',
  hint: (bench) =>
    bench.reaches.all.length
      ? 'Drag a ring: the limb goes along. Click the wedge beside a joint to bend it to the other side.'
      : 'Choose the last bone of a limb, then let it reach on the card.',

  down(bench, point, event, boneId) {
    const { one } = bench.reaches;
    const mark = one && sideMark(one).at;
    if (mark && bench.page.mayEdit && away([mark[0], mark[1]], point) <= BESIDE) {
      bench.reaches.set({ side: one.side === 'clockwise' ? 'counterclockwise' : 'clockwise' });
      return;
    }
    const reach = goalAt(bench, point);
    if (!reach) {
      this.passed = true;
      select.down(bench, point, event, boneId);
      return;
    }
    bench.reaches.chosen = reach.id;
    const shift = ['goal.x', 'goal.y'].map((name) => bench.posing.channel(reach.id, name));
    this.drag = { from: point, reach, shift };
    bench.sheet.redraw();
  },

  move(bench, point) {
    if (this.passed) select.move(bench, point);
    if (!this.drag) return;
    if (!bench.posing.posed) bench.posing.turnOver();
    const { from, reach, shift } = this.drag;
    const [dx, dy] = inFrame(frameOf(reach.hangs_on), [point[0] - from[0], point[1] - from[1]]);
    const round = (value) => Math.round(value * 100) / 100;
    bench.posing.setChannels(reach.id, { 'goal.x': round(shift[0] + dx), 'goal.y': round(shift[1] + dy) });
  },

  up(bench, point, event) {
    const { passed } = this;
    [this.drag, this.passed] = [null, false];
    if (passed) select.up(bench, point, event);
  },

  cancel(bench) {
    [this.drag, this.passed] = [null, false];
    select.cancel(bench);
  },
};
