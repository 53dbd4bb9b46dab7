// Drag controls: knobs of levers, and goals whose limb goes along. The mark beside a knee or an elbow is clicked to bend
// it to the other side.

import { engine } from '../../page/engine.js';
import { frameOf, inFrame } from '../../page/scene.js';
import { select } from '../../sheet/tools/select.js';
import { lengthAt, spotsOf } from '../lever_drawing.js';
import { sideMark } from '../drawing.js';
import { movesWords } from '../slip.js';

const NEAR = 13; // px on the screen within which a goal or a knob is hit
const BESIDE = 10; // and the mark of a side
const CATCHES = 0.035; // of its way within which a lever catches

function away([x, y], point) {
  return Math.hypot(x - point[0], y - point[1]) * engine.camera.scale;
}

function nearest(found) {
  return found.filter((one) => one.away <= NEAR).sort((a, b) => a.away - b.away)[0] || null;
}

/** The goal nearest to a point, or null. */
export function goalAt(bench, point) {
  const all = bench.reaches.goals.map((reach) => ({ reach, away: away(bench.reaches.placeOf(reach), point) }));
  const found = nearest(all);
  return found && found.reach;
}

/** The lever whose knob lies at a point, or null. */
export function leverAt(bench, point) {
  const here = engine.camera.toScreen(...point);
  const found = nearest(
    bench.levers.all.map((lever) => {
      const spots = spotsOf(lever, engine.camera);
      return { lever, away: spots ? Math.hypot(spots.knob[0] - here[0], spots.knob[1] - here[1]) : Infinity };
    }),
  );
  return found && found.lever;
}

export const goal = {
  key: 'goal',
  hovered: '',
  word: () => 'Drag controls',
  hint: (bench) => {
    if (bench.slip.over) return bench.slip.over;
    return bench.slip.count
      ? 'Drag a ring or a knob. Click the wedge beside a joint to bend the limb the other way.'
      : 'Choose the last bone of a limb, then let it reach on the card; or make a lever there.';
  },

  down(bench, point, event, boneId) {
    const { one } = bench.reaches;
    const mark = one && one.kind === 'reach' && sideMark(one).at;
    if (mark && bench.page.mayEdit && away([mark[0], mark[1]], point) <= BESIDE) {
      bench.reaches.set({ side: one.side === 'clockwise' ? 'counterclockwise' : 'clockwise' });
      return;
    }
    const lever = leverAt(bench, point);
    const reach = lever ? null : goalAt(bench, point);
    if (lever) {
      bench.slip.choose({ kind: 'lever', id: lever.id });
      this.drag = { from: point, lever, began: bench.levers.axesOf(lever).map(({ way, now }) => [way, now]) };
    } else if (reach) {
      bench.slip.choose({ kind: 'reach', id: reach.id });
      const shift = ['goal.x', 'goal.y'].map((name) => bench.posing.channel(reach.id, name));
      this.drag = { from: point, reach, shift };
    } else if (!this.pull(bench, point)) {
      this.passed = true;
      select.down(bench, point, event, boneId);
    }
  },

  /** A tick of the way of a tip is taken: its frame is gone to, and the goal that poses the tip is pulled there. */
  pull(bench, point) {
    const tick = bench.tipPath.tickAt(point);
    if (tick === null) return false;
    const bone = bench.selection.oneBone;
    const reach = bench.reaches.goals.find((one) => one.kind === 'reach' && [one.tip, one.foot].includes(bone.id));
    this.drag = { waits: true };
    bench.strip.goTo(tick).then(() => {
      if (!this.drag || !this.drag.waits) return;
      const shift = reach && ['goal.x', 'goal.y'].map((name) => bench.posing.channel(reach.id, name));
      this.drag = reach ? { from: point, reach, shift } : null;
    });
    return true;
  },

  move(bench, point) {
    if (this.passed) select.move(bench, point);
    else if (!this.drag) this.look(bench, point);
    else if (this.drag.waits) return;
    else if (this.drag.lever) this.dragLever(bench, point);
    else this.dragGoal(bench, point);
  },

  /** What lies under the pointer is told before it is dragged. */
  look(bench, point) {
    const lever = leverAt(bench, point);
    const reach = lever ? null : goalAt(bench, point);
    const one = lever || reach;
    if (this.hovered === (one ? one.id : '')) return;
    this.hovered = one ? one.id : '';
    bench.slip.over = one ? `${one.name} moves ${movesWords(lever ? 'lever' : 'reach', one)}` : '';
    bench.sheet.redraw();
  },

  dragLever(bench, point) {
    const { from, lever, began } = this.drag;
    const by = [point[0] - from[0], from[1] - point[1]].map(
      (one) => (one * engine.camera.scale) / lengthAt(engine.camera),
    );
    const moved = began.map(([way, value]) => {
      const { low, high } = lever[way];
      return [way, value + by[way === 'x' ? 0 : 1] * (high - low)];
    });
    bench.levers.move(lever, Object.fromEntries(moved), CATCHES);
  },

  dragGoal(bench, point) {
    if (!bench.posing.posed) bench.posing.turnOver();
    const { from, reach, shift } = this.drag;
    const hang = [reach, ...reach.others].find(({ number = 0 }) => number === bench.posing.channel(reach.id, 'hang'));
    const [dx, dy] = inFrame(frameOf(hang === reach || !hang ? reach.hangs_on : hang.bone), [
      point[0] - from[0],
      point[1] - from[1],
    ]);
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
