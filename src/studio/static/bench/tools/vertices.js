// Vertices: click or draw a loop around them to choose, drag to move, double click to add, Delete to remove.

import { engine } from '../engine.js';

export const vertices = {
  key: 'vertices',
  word: () => 'Vertices',
  building: true,
  aiming: true,
  hint: (bench) => (bench.weightedPart ? 'Click or loop to choose, drag to move, double click to add, Delete to remove.' : 'Select a weighted part first.'),

  begin(bench) { bench.showMesh = true; },
  down(bench, point, event) {
    if (!bench.weightedPart) { bench.warn('Select a weighted part first.'); return; }
    const hit = bench.vertexNear(point);
    if (event.detail === 2 && hit === null) { bench.edit({ kind: 'add_vertex', part: bench.weightedPart.id, at: point.map((one) => Math.round(one * 10) / 10) }); return; }
    if (hit === null) { this.loop = [point]; return; }
    const more = event.shiftKey || event.ctrlKey;
    if (!bench.vertices.includes(hit)) bench.vertices = more ? [...bench.vertices, hit] : [hit];
    this.drag = { from: point, by: [0, 0] };
    bench.redraw();
  },
  move(bench, point, event) {
    if (this.loop) { this.loop.push(point); this.more = event && event.shiftKey; bench.drawStroke(this.loop); }
    if (this.drag) { this.drag.by = [point[0] - this.drag.from[0], point[1] - this.drag.from[1]]; engine.vertexShift = this.drag.by; bench.redraw(); }
  },
  up(bench) {
    const { loop, drag } = this;
    this.cancel(bench);
    if (loop && loop.length > 3) {
      const found = bench.verticesWithin(loop);
      bench.vertices = this.more ? [...new Set([...bench.vertices, ...found])] : found;
    } else if (loop) bench.vertices = [];
    if (drag && Math.hypot(...drag.by) * engine.camera.scale > 3) {
      bench.edit({ kind: 'move_vertices', part: bench.weightedPart.id, vertices: [...bench.vertices], by: drag.by.map((one) => Math.round(one * 10) / 10) });
    }
    bench.redraw();
  },
  cancel(bench) { this.loop = null; this.drag = null; engine.vertexShift = null; bench.drawStroke(null); },
};
