// Springs by numbers, all together, and live while one poses.

import { bench } from '../page/bench.js';

const EVERY = 33; // ms between looks at what swings
const ROWS = [
  { name: 'frequency', word: 'Frequency, Hz', low: 0.1, high: 20, step: 0.1 },
  { name: 'damping_ratio', word: 'Damping ratio', low: 0, high: 2, step: 0.05 },
  { name: 'gravity', word: 'Gravity, px/s²', low: 0, high: 20000, step: 20 },
  { name: 'weight', word: 'Weight at its end, times its own', low: 0, high: 50, step: 0.1 },
  { name: 'air', word: 'Air, 1/s', low: 0, high: 40, step: 0.5 },
  { name: 'stretch', word: 'Gets longer or shorter by, %', low: 0, high: 100, step: 1, times: 100 },
  { name: 'bounce', word: 'Bounces along itself, Hz', low: 0.2, high: 20, step: 0.1 },
  { name: 'squash', word: 'Keeps its area then, %', low: 0, high: 100, step: 5, times: 100 },
  { name: 'thickness', word: 'Keeps off colliders by, px', low: 0, high: 2000, step: 1 },
  { name: 'friction', word: 'Friction on them', low: 0, high: 2, step: 0.05 },
];

export const springs = {
  live: true,
  elsewhere: false, // in the other stages, too
  timer: 0,
  more: false,
  tight: 1,
  heavy: 1,
  get springWords() {
    const ids = bench.selection.oneBone ? bench.page.state.chains[bench.selection.oneBone.id] : [];
    return ids.map((ref) => bench.page.boneName(ref)).join(', ');
  },
  get one() {
    const { oneBone } = bench.selection;
    if (!oneBone || !bench.page.figure) return null;
    return bench.page.figure.springs.find(({ bones }) => bones.includes(oneBone.id)) || null;
  },
  get bone() {
    return this.one ? this.one.bones[0] : bench.selection.oneBone && bench.selection.oneBone.id;
  },
  get rows() {
    const { one } = this;
    if (!one) return [];
    const few = (value) => Math.round(1000 * value) / 1000;
    const rows = ROWS.filter(({ name }) => one.stretch || !['bounce', 'squash'].includes(name));
    return rows.map((row) => ({ ...row, id: `spring-${row.name}`, value: few(one[row.name] * (row.times || 1)) }));
  },
  get firmAtTip() {
    return this.one ? this.one.firmness.at(-1) / this.one.firmness[0] : 1;
  },
  set(row, value) {
    if (Number.isFinite(Number(value)))
      bench.history.edit({ kind: 'set_spring', bone: this.bone, [row.name]: Number(value) / (row.times || 1) });
  },
  setFirmness(value) {
    if (Number(value) > 0) bench.history.edit({ kind: 'set_spring', bone: this.bone, firmness: [1, Number(value)] });
  },
  removeSpring() {
    bench.history.edit({ kind: 'remove_spring', bone: bench.selection.oneBone.id });
  },
  tune() {
    bench.history.edit({ kind: 'tune_springs', tight: Number(this.tight), heavy: Number(this.heavy) });
    [this.tight, this.heavy] = [1, 1];
  },
  /** Whether anything of the figure follows through. */
  get any() {
    return Boolean(bench.page.figure && (bench.page.figure.springs.length || bench.jelly.any));
  },
  /** What the live socket is asked for beside a pose: the moment, where springs swing while one poses. */
  get asked() {
    const here = bench.page.stageKey === 'follow' || this.elsewhere;
    const on = this.live && here && !bench.steps.live && this.any;
    return on ? { at: performance.now() / 1000 } : undefined;
  },
  setLive(on) {
    this.live = on;
    if (bench.posing.posed) bench.posing.sendPose();
  },
  /** The socket tells whether anything still moves: then it is looked at again. */
  swinging(moves) {
    clearTimeout(this.timer);
    if (!moves || !this.asked || !bench.posing.posed || bench.playing.playing) return;
    this.timer = setTimeout(() => {
      if (this.asked && bench.posing.posed && !bench.playing.playing) bench.posing.sendPose();
    }, EVERY);
  },
};
