// Vertices: click or draw a loop around them to choose, drag to move, double click to add, Delete to remove.

import { engine } from '../../page/engine.js';

export const vertices = {
  key: 'vertices',
  word: () => 'Vertices',
  building: true,
  aiming: true,
  hint: (bench) =>
    bench.influences.weightedPart
      ? 'Click or loop to choose, drag to move, double click to add, Delete to remove.'
      : 'Select a weighted part first.',

  begin(bench) {
    bench.mesh.showMesh = true;
  },
  down(bench, point, event) {
    if (!bench.influences.weightedPart) {
      bench.page.warn('Select a weighted part first.');
      return;
    }
    const hit = bench.weights.vertexNear(point);
    if (event.detail === 2 && hit === null) {
      bench.history.edit({
        kind: 'add_vertex',
        part: bench.influences.weightedPart.id,
        at: point.map((one) => Math.round(one * 10) / 10),
      });
      return;
    }
    if (hit === null) {
      this.loop = [point];
      return;
    }
    const more = event.shiftKey || event.ctrlKey;
    if (!bench.weights.vertices.includes(hit)) bench.weights.vertices = more ? [...bench.weights.vertices, hit] : [hit];
    this.drag = { from: point, by: [0, 0] };
    bench.sheet.redraw();
  },
  move(bench, point, event) {
    if (this.loop) {
      this.loop.push(point);
      this.more = event && event.shiftKey;
      bench.sheet.drawStroke(this.loop);
    }
    if (this.drag) {
      this.drag.by = [point[0] - this.drag.from[0], point[1] - this.drag.from[1]];
      engine.vertexShift = this.drag.by;
      bench.sheet.redraw();
    }
  },
  up(bench) {
    const { loop, drag } = this;
    this.cancel(bench);
    if (loop && loop.length > 3) {
      const found = bench.weights.verticesWithin(loop);
      bench.weights.vertices = this.more ? [...new Set([...bench.weights.vertices, ...found])] : found;
    } else if (loop) bench.weights.vertices = [];
    if (drag && Math.hypot(...drag.by) * engine.camera.scale > 3) {
      bench.history.edit({
        kind: 'move_vertices',
        part: bench.influences.weightedPart.id,
        vertices: [...bench.weights.vertices],
        by: drag.by.map((one) => Math.round(one * 10) / 10),
      });
    }
    bench.sheet.redraw();
  },
  cancel(bench) {
    this.loop = null;
    this.drag = null;
    engine.vertexShift = null;
    bench.sheet.drawStroke(null);
  },
};
