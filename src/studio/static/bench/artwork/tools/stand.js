// Say where the figure stands: click the spot on the ground; it becomes the origin.

export const stand = {
  key: 'stand',
  word: () => 'Standing point',
  building: true,
  aiming: true,
  byKeys: true,
  hint: () => 'Click where the figure touches the ground.',

  down(bench, point) {
    bench.history.edit({ kind: 'set_standing_point', to: point.map((one) => Math.round(one)) });
    bench.tools.useTool('select');
  },

  move() {},
  up() {},
  cancel() {},
};
