// A gradient of weights: drag from where a bone's share is none to where it is all.

export const gradient = {
  key: 'gradient',
  word: () => 'Gradient',
  building: true,
  aiming: true,
  hint: (bench) =>
    bench.selection.bones[0]
      ? `Drag from where ${bench.weights.paintBoneName} has no share to where it has all.`
      : 'Choose a bone on the card, then drag.',

  begin(bench) {
    bench.weights.showWeights = true;
  },
  down(bench, point) {
    if (!bench.influences.weightedPart || !bench.selection.bones[0]) {
      bench.page.warn('Select a weighted part and, on the card, the bone.');
      return;
    }
    this.from = point;
  },
  move(bench, point) {
    if (this.from) bench.sheet.drawStroke([this.from, point]);
  },
  up(bench, point) {
    const start = this.from;
    this.from = null;
    bench.sheet.drawStroke(null);
    if (!start || !point || Math.hypot(point[0] - start[0], point[1] - start[1]) < 2) return;
    bench.history.edit({
      kind: 'gradient_weights',
      part: bench.influences.weightedPart.id,
      bone: bench.selection.bones[0],
      start,
      end: point,
      vertices: bench.weights.vertices.length ? [...bench.weights.vertices] : null,
    });
  },
  cancel(bench) {
    this.from = null;
    bench.sheet.drawStroke(null);
  },
};
