// The brush: weights by strokes. What the stroke does shows at once; release makes one edit.

import { engine } from '../../page/engine.js';
import { scene } from '../../page/scene.js';

export const brush = {
  key: 'brush',
  word: () => 'Brush',
  building: true,
  aiming: true,
  hint: (bench) => (bench.influences.weightedPart ? bench.weights.paintWords : 'Select a weighted part to paint on.'),

  begin(bench) {
    bench.weights.showWeights = true;
  },
  down(bench, point) {
    if (!bench.influences.weightedPart) {
      bench.page.warn('Select a weighted part to paint on.');
      return;
    }
    if (!bench.selection.bones[0]) {
      bench.page.warn('Choose the bone to give weight of: click it in the list on the card.');
      return;
    }
    this.spots = [];
    this.add(bench, point);
  },
  move(bench, point) {
    bench.sheet.showBrush(point);
    if (!this.spots) return;
    const last = this.spots[this.spots.length - 1];
    if (Math.hypot(point[0] - last[0], point[1] - last[1]) >= bench.weights.brush.radius / 4) this.add(bench, point);
  },
  add(bench, point) {
    this.spots.push(point.map((one) => Math.round(one * 10) / 10));
    engine.live.send({ seen: scene.revision, stroke: this.stroke(bench) });
  },
  stroke(bench) {
    return {
      part: bench.influences.weightedPart.id,
      bone: bench.selection.bones[0],
      brush: JSON.parse(JSON.stringify(bench.weights.brush)),
      spots: this.spots,
    };
  },
  up(bench) {
    const { spots } = this;
    if (spots && spots.length) bench.history.edit({ kind: 'paint_weights', ...this.stroke(bench) });
    this.spots = null;
  },
  cancel(bench) {
    this.spots = null;
    bench.sheet.showBrush(null);
  },
};
