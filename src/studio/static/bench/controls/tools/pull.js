// Pull at the art as it is posed: what lies near goes along, the less the farther it is.

import { engine } from '../../page/engine.js';
import { frameOf, inFrame, scene } from '../../page/scene.js';
import { handleAt } from '../../warps/tools/handle.js';

/**
 * The posed vertices with those near a spot pulled, the most there (as control/pulling.py will do it); of each range
 * that has `shares` by these only.
 */
export function pulledVertices(vertices, ranges, [x, y], [dx, dy], radius) {
  const found = vertices.slice();
  for (const [start, count, shares] of ranges) {
    for (let k = 0; k < count; k += 1) {
      const at = 2 * (start + k);
      const away = ((vertices[at] - x) ** 2 + (vertices[at + 1] - y) ** 2) / radius ** 2;
      if (away >= 1) continue;
      const share = (1 - away) ** 2 * (shares ? shares[k] : 1);
      found[at] += share * dx;
      found[at + 1] += share * dy;
    }
  }
  return found;
}

export const pull = {
  key: 'pull',
  word: () => 'Pull at the art',
  hint: (bench) =>
    bench.correctives.whyNot ||
    (bench.pulling.warps.length
      ? 'Drag the art, or a handle of its warp, to where it should be: what lies near goes along.'
      : 'Drag the art to where it should be: what lies near goes along.'),

  begin(bench) {
    if (!bench.posing.posed) bench.posing.turnOver();
  },
  down(bench, point) {
    if (bench.correctives.whyNot || !bench.page.mayEdit) {
      bench.page.warn(bench.correctives.whyNot || bench.page.whyNot);
      return;
    }
    const hit = handleAt(bench, point, bench.pulling.warps);
    this.drag = hit
      ? { from: point, handle: hit.id, frame: frameOf(hit.warp.bone), by: [0, 0] }
      : { from: point, ranges: bench.pulling.ranges, vertices: scene.vertices, by: [0, 0] };
  },
  /** A handle goes along with the pointer; what it takes along is asked of the server. */
  moveHandle(bench, point) {
    const { from, frame, handle } = this.drag;
    this.drag.by = inFrame(frame, [point[0] - from[0], point[1] - from[1]]);
    const channels = JSON.parse(JSON.stringify(bench.posing.pose.channels));
    ['shift.x', 'shift.y'].forEach((name, k) => {
      channels[`${handle}.${name}`] = bench.posing.channel(handle, name) + this.drag.by[k];
    });
    engine.live.send({ seen: scene.revision, pose: { channels } });
  },
  move(bench, point) {
    bench.sheet.showBrush(null);
    if (this.drag && this.drag.handle) {
      this.moveHandle(bench, point);
      return;
    }
    engine.pulling = { at: this.drag ? this.drag.from : point, radius: Number(bench.pulling.radius) || 60 };
    if (this.drag) {
      const { from, ranges, vertices } = this.drag;
      this.drag.by = [point[0] - from[0], point[1] - from[1]];
      scene.vertices = pulledVertices(vertices, ranges, from, this.drag.by, engine.pulling.radius);
      engine.stage.setVertices(scene.vertices);
    }
    bench.sheet.redraw();
  },
  up(bench) {
    const { drag } = this;
    this.drag = null;
    const far = drag && Math.hypot(...drag.by) * engine.camera.scale > 2;
    if (far && drag.handle) bench.pulling.pullHandle(drag.handle, drag.by);
    else if (far) bench.pulling.pull(drag.from, drag.by);
    else if (drag) this.cancel(bench);
  },
  cancel(bench) {
    this.drag = null;
    engine.pulling = null;
    if (bench.posing.posed) bench.posing.sendPose();
    bench.sheet.redraw();
  },
};

/** The rim of what is pulled along. */
export function drawPull(context, camera) {
  if (!engine.pulling) return;
  const [x, y] = camera.toScreen(...engine.pulling.at);
  context.beginPath();
  context.arc(x, y, engine.pulling.radius * camera.scale, 0, 7);
  for (const [strokeStyle, lineWidth] of [
    ['#FFFEFA', 3.4],
    ['#1F6F68', 1.5],
  ]) {
    Object.assign(context, { strokeStyle, lineWidth });
    context.stroke();
  }
}
