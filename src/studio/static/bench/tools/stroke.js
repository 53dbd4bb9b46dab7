// A tool that takes one stroke over the sheet and makes something of its points.

const MOST = 500;

export function strokeTool({ begun = () => null, done, ...tool }) {
  return {
    building: true,
    aiming: true,
    ...tool,
    down(bench, point, event, boneId) { this.with = begun(bench, boneId); this.points = [point]; },
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
      const every = Math.ceil(points.length / (this.most || MOST));
      const stroke = points.filter((_, k) => k % every === 0 || k === points.length - 1).map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
      if (done(bench, stroke, this.with) !== false) bench.useTool('select');
    },
    cancel(bench) { this.points = null; bench.drawStroke(null); },
  };
}
