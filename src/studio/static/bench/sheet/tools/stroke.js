// A tool that takes one stroke over the sheet and makes something of its points.

const MOST = 500;

/**
 * @param {{ begun?: (bench: any, boneId: any) => any, done: (bench: any, stroke: number[][], begun: any) => any, most?: number, [more: string]: any }} given
 * @returns {any}
 */
export function strokeTool({ begun = () => null, done, ...tool }) {
  return {
    building: true,
    aiming: true,
    most: MOST,
    ...tool,
    /** @type {any} */
    with: null,
    /** @type {number[][]} */
    points: null,
    down(bench, point, event, boneId) {
      this.with = begun(bench, boneId);
      this.points = [point];
    },
    move(bench, point) {
      if (!this.points) return;
      const last = this.points[this.points.length - 1];
      if (Math.hypot(point[0] - last[0], point[1] - last[1]) < 3) return;
      this.points.push(point);
      bench.sheet.drawStroke(this.points);
    },
    up(bench) {
      const { points } = this;
      this.points = null;
      bench.sheet.drawStroke(null);
      if (!points || points.length < 2) return;
      const every = Math.ceil(points.length / this.most);
      const stroke = points
        .filter((_, k) => k % every === 0 || k === points.length - 1)
        .map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
      if (done(bench, stroke, this.with) !== false) bench.tools.useTool('select');
    },
    cancel(bench) {
      this.points = null;
      bench.sheet.drawStroke(null);
    },
  };
}
