// Drag colliders: an end, the rim for how thick it is, or the whole.

import { carried, frameOf, inFrame } from '../../page/scene.js';
import { engine } from '../../page/engine.js';
import { select } from '../../sheet/tools/select.js';

const KNOB = 9; // px on the screen within which an end is hit
const RIM = 6;
const THINNEST = 1; // px

/** @param {number[]} one @param {number[]} other */
const away = (one, other) => Math.hypot(one[0] - other[0], one[1] - other[1]);

/** How far a place is from the middle line of a collider as it is posed. */
function fromMiddle(one, point) {
  const [a, b] = [carried(one.bone, one.start), carried(one.bone, one.end)];
  const [x, y] = [b[0] - a[0], b[1] - a[1]];
  const share = ((point[0] - a[0]) * x + (point[1] - a[1]) * y) / (x * x + y * y || 1);
  const at = Math.min(Math.max(share, 0), 1);
  return away(point, [a[0] + at * x, a[1] + at * y]);
}

/** The collider at a place and what of it is there: an end, its rim, or the whole; null where none is. */
export function colliderAt(colliders, point) {
  const near = (px) => px / engine.camera.scale;
  for (const one of colliders)
    for (const grip of away(one.start, one.end) > 0 ? ['start', 'end'] : [])
      if (away(carried(one.bone, one[grip]), point) <= near(KNOB)) return { one, grip };
  const beside = colliders.map((one) => ({ one, off: fromMiddle(one, point) - one.radius }));
  const rim = beside.find(({ off }) => Math.abs(off) <= near(RIM));
  if (rim) return { one: rim.one, grip: 'radius' };
  const inside = beside.filter(({ off }) => off < 0).sort((a, b) => a.one.radius - b.one.radius);
  return inside.length ? { one: inside[0].one, grip: 'whole' } : null;
}

/** A collider as it becomes when what was gripped is dragged from one place to another. */
export function dragged({ one, grip }, from, to) {
  if (grip === 'radius') return { ...one, radius: Math.max(Math.round(fromMiddle(one, to)), THINNEST) };
  const by = inFrame(frameOf(one.bone), [to[0] - from[0], to[1] - from[1]]);
  const moved = (place) => place.map((at, k) => Math.round(10 * (at + by[k])) / 10);
  const ends = grip === 'whole' ? ['start', 'end'] : [grip];
  return { ...one, ...Object.fromEntries(ends.map((end) => [end, moved(one[end])])) };
}

export const collider = {
  key: 'collider',
  word: () => 'Drag colliders',
  hint: (bench) =>
    bench.around.colliders.length
      ? 'Drag a collider: an end, its rim for how thick it is, or the whole.'
      : 'None yet; lay them along the art on the card, or one on a chosen bone.',

  down(bench, point, event, boneId) {
    const hit = bench.page.mayEdit && colliderAt(bench.around.colliders, point);
    if (hit) this.drag = { ...hit, from: point };
    else {
      this.passed = true;
      select.down(bench, point, event, boneId);
    }
  },
  move(bench, point) {
    if (this.passed) select.move(bench, point);
    if (!this.drag) return;
    bench.around.tried = dragged(this.drag, this.drag.from, point);
    bench.sheet.redraw();
  },
  up(bench, point, event) {
    const { tried } = bench.around;
    const { passed } = this;
    this.drop(bench);
    if (passed) select.up(bench, point, event);
    if (!tried) return;
    const { id, start, end, radius } = tried;
    bench.history.edit({ kind: 'set_collider', collider: id, start, end, radius });
  },
  drop(bench) {
    [this.drag, this.passed, bench.around.tried] = [null, false, null];
    bench.sheet.redraw();
  },
  cancel(bench) {
    this.drop(bench);
    select.cancel(bench);
  },
};
