// The brush: weights by strokes. What the stroke does shows at once; release makes one edit.

import { engine } from '../engine.js';
import { scene } from '../scene.js';

export const brush = {
  key: 'brush',
  word: () => 'Brush',
  building: true,
  aiming: true,
  hint: (bench) => (bench.weightedPart ? bench.paintWords : 'Select a weighted part to paint on.'),

  begin(bench) { bench.showWeights = true; },
  down(bench, point) {
    if (!bench.weightedPart) { bench.warn('Select a weighted part to paint on.'); return; }
    if (!bench.bones[0]) { bench.warn('Choose the bone to give weight of: click it in the list on the card.'); return; }
    this.spots = [];
    this.add(bench, point);
  },
  move(bench, point) {
    bench.showBrush(point);
    if (!this.spots) return;
    const last = this.spots[this.spots.length - 1];
    if (Math.hypot(point[0] - last[0], point[1] - last[1]) >= bench.brush.radius / 4) this.add(bench, point);
  },
  add(bench, point) {
    this.spots.push(point.map((one) => Math.round(one * 10) / 10));
    engine.live.send({ revision: scene.revision, stroke: this.stroke(bench) });
  },
  stroke(bench) {
    return { part: bench.weightedPart.id, bone: bench.bones[0], brush: JSON.parse(JSON.stringify(bench.brush)), spots: this.spots };
  },
  up(bench) {
    const { spots } = this;
    if (spots && spots.length) bench.edit({ kind: 'paint_weights', ...this.stroke(bench) });
    this.spots = null;
  },
  cancel(bench) { this.spots = null; bench.showBrush(null); },
};
