// Drag handles of warps: at rest that reshapes the rest, posed it is part of the pose. A box takes several.

import { engine } from '../../page/engine.js';
import { boxOf, within } from '../../page/picking.js';
import { frameOf, inFrame, scene } from '../../page/scene.js';
import { select } from '../../sheet/tools/select.js';

const NEAR = 11; // px on the screen within which a handle is hit

/** The handle of some warps, or of those that show, nearest to a point, or null. */
export function handleAt(bench, point, some = bench.warps.onSheet) {
  let [found, least] = [null, NEAR / engine.camera.scale];
  for (const warp of some)
    for (const { id } of warp.handles) {
      const [x, y] = bench.handles.placeOf(id);
      const away = Math.hypot(x - point[0], y - point[1]);
      if (away <= least) [found, least] = [{ id, warp }, away];
    }
  return found;
}

export const handle = {
  key: 'handle',
  word: () => 'Drag handles',
  hint: (bench) =>
    !bench.warps.all.length
      ? 'Choose parts, then lay a lattice, a cage, a curve or tacks on the card.'
      : bench.posing.posed
        ? 'Drag a handle: it becomes part of the pose. A box takes several, Shift adds.'
        : 'Drag a handle: the rest is reshaped. A box takes several, Shift adds.',

  down(bench, point, event, boneId) {
    const hit = handleAt(bench, point);
    if (!hit) {
      this.passed = true;
      this.adding = event.shiftKey;
      select.down(bench, point, event, boneId);
      return;
    }
    const more = event.shiftKey || event.ctrlKey;
    const { warps, handles } = bench;
    if (hit.warp.id !== warps.chosen) [warps.chosen, handles.ids] = [hit.warp.id, []];
    if (!handles.ids.includes(hit.id)) handles.ids = more ? [...handles.ids, hit.id] : [hit.id];
    else if (more) handles.ids = handles.ids.filter((id) => id !== hit.id);
    const ids = [...handles.dragged()];
    this.drag = {
      from: point,
      warp: hit.warp,
      by: null,
      shifts: ids.map(([id, sign]) => [
        id,
        sign,
        ...['shift.x', 'shift.y'].map((name) => bench.posing.channel(id, name)),
      ]),
    };
    bench.sheet.redraw();
  },

  move(bench, point) {
    if (this.passed) select.move(bench, point);
    const { drag } = this;
    if (!drag || !(bench.posing.posed || bench.page.mayBuild)) return;
    drag.by = [point[0] - drag.from[0], point[1] - drag.from[1]];
    this.show(bench, drag);
  },

  /** Posed, the pose; at rest, how the rest would be reshaped, which looks as the same drag in a pose does. */
  show(bench, drag) {
    const { posed } = bench.posing;
    const [dx, dy] = inFrame(frameOf(drag.warp.bone), drag.by);
    const round = (value) => Math.round(value * 100) / 100;
    const channels = {};
    for (const [id, sign, x, y] of drag.shifts) {
      channels[`${id}.shift.x`] = round((posed ? x : 0) + sign * dx);
      channels[`${id}.shift.y`] = round((posed ? y : 0) + dy);
    }
    if (posed) {
      bench.posing.pose = { channels: { ...bench.posing.pose.channels, ...channels } };
      bench.posing.sendPose();
      return;
    }
    engine.trying = true;
    engine.handleDrag = { moved: new Map(drag.shifts.map(([id, sign]) => [id, sign])), by: [...drag.by] };
    const staysArt = { lattice: false, tacks: true }[drag.warp.kind] ?? bench.handles.alone;
    if (!staysArt) engine.live.send({ seen: scene.revision, pose: { channels } });
    bench.sheet.redraw();
  },

  up(bench, point, event) {
    const { drag, passed } = this;
    const box = select.box && select.isDrawn() ? boxOf(select.box.from, point) : null;
    [this.drag, this.passed] = [null, false];
    if (passed && box && bench.warps.onSheet.length) {
      select.cancel(bench);
      this.pickBox(bench, box);
    } else if (passed) select.up(bench, point, event);
    if (drag && drag.by && !bench.posing.posed) bench.handles.drop(drag.by);
  },

  pickBox(bench, box) {
    const found = bench.warps.onSheet
      .flatMap((warp) => warp.handles.map((one) => one.id))
      .filter((id) => within(box, bench.handles.placeOf(id)));
    bench.handles.ids = this.adding ? [...new Set([...bench.handles.ids, ...found])] : found;
    bench.sheet.redraw();
  },

  cancel(bench) {
    const tried = engine.trying;
    [this.drag, this.passed, engine.handleDrag, engine.trying] = [null, false, null, false];
    if (tried && !bench.posing.posed) bench.sheet.showRest();
    select.cancel(bench);
  },
};
