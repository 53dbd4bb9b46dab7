// Pull at the art as it is posed: what lies near goes along, the less the farther it is.

import { engine } from '../../page/engine.js';
import { scene } from '../../page/scene.js';

/** The posed vertices with those near a spot pulled, the most there (as control/shape_edits.py will do it). */
export function pulledVertices(vertices, ranges, [x, y], [dx, dy], radius) {
  const found = vertices.slice();
  for (const [start, count] of ranges) {
    for (let k = 2 * start; k < 2 * (start + count); k += 2) {
      const away = ((vertices[k] - x) ** 2 + (vertices[k + 1] - y) ** 2) / radius ** 2;
      if (away >= 1) continue;
      found[k] += (1 - away) ** 2 * dx;
      found[k + 1] += (1 - away) ** 2 * dy;
    }
  }
  return found;
}

export const pull = {
  key: 'pull',
  word: () => 'Pull at the art',
  hint: (bench) => bench.correctives.whyNot || 'Drag the art to where it should be: what lies near goes along.',

  begin(bench) {
    if (!bench.posing.posed) bench.posing.turnOver();
  },
  down(bench, point) {
    if (bench.correctives.whyNot || !bench.page.state.mayEdit) {
      bench.page.warn(bench.correctives.whyNot || bench.page.whyNot);
      return;
    }
    const ranges = bench.correctives.parts.map((ref) => scene.blocks[ref]);
    this.drag = { from: point, ranges, vertices: scene.vertices, by: [0, 0] };
  },
  move(bench, point) {
    bench.sheet.showBrush(null);
    engine.pulling = { at: this.drag ? this.drag.from : point, radius: Number(bench.correctives.radius) || 60 };
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
    if (drag && Math.hypot(...drag.by) * engine.camera.scale > 2) bench.correctives.pull(drag.from, drag.by);
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
