// Draw along: one stroke down a limb lays joints on its middle line.

export const along = {
  key: 'along',
  word: () => 'Draw along',
  building: true,
  aiming: true,
  hint: () => 'Stroke down a limb, from its root to its end; joints come to lie on its middle.',

  down(bench, point, event, boneId) { this.parent = boneId || bench.selectedBone(); this.points = [point]; },
  move(bench, point) {
    if (!this.points) return;
    const last = this.points[this.points.length - 1];
    if (Math.hypot(point[0] - last[0], point[1] - last[1]) < 3) return;
    this.points.push(point);
    bench.drawStroke(this.points);
  },
  up(bench) {
    const { points } = this;
    this.points = null;
    bench.drawStroke(null);
    if (!points || points.length < 2) return;
    const every = Math.ceil(points.length / 500);
    const stroke = points.filter((_, k) => k % every === 0 || k === points.length - 1).map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
    bench.edit({ kind: 'draw_along', stroke, parent: this.parent, joints: bench.alongJoints ? Number(bench.alongJoints) : null });
    bench.useTool('select');
  },
  cancel(bench) { this.points = null; bench.drawStroke(null); },
};
