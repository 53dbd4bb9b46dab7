// Legs that step by themselves: how they do, a walk laid as keys, and live while the body is dragged.

import { bench } from '../page/bench.js';

const LONGEST = 2400; // moments of a live walk that are kept
const ROWS = [
  { name: 'stride', word: 'Stride, % of a leg', times: 100, low: 5, high: 400, step: 5 },
  { name: 'period', word: 'A cycle, frames', times: 1, low: 4, high: 240, step: 1 },
  { name: 'lift', word: 'Lift, % of a leg', times: 100, low: 0, high: 100, step: 1 },
  { name: 'air', word: 'In the air, % of a cycle', times: 100, low: 5, high: 50, step: 1 },
  { name: 'roll', word: 'Foot rolls, °', times: 1, low: 0, high: 60, step: 1 },
  { name: 'lag', word: 'Comes home after, frames', times: 1, low: 0, high: 48, step: 1 },
  { name: 'height', word: 'Body goes up with the feet, %', times: 100, low: 0, high: 100, step: 5 },
  { name: 'tilt', word: 'Body leans with the ground, %', times: 100, low: 0, high: 100, step: 5 },
];

export const steps = {
  live: false,
  records: true, // what is walked live is laid as keys
  laid: false,
  began: 0, // ms, of a live walk
  channels: {}, // what a live walk has come to: goals and the body
  /** @type {{ at: number, channels: Record<string, number> }[]} */
  way: [], // how it came there, in frames since it began
  first: '',
  last: '',
  speed: '',
  left: false, // in a loop, where no speed says it
  about: '', // frames for each side it turns through
  get stepper() {
    return bench.page.figure ? bench.page.figure.stepper : null;
  },
  get rows() {
    if (!this.stepper) return [];
    return ROWS.map((row) => ({
      ...row,
      id: `step-${row.name}`,
      value: Math.round(this.stepper[row.name] * row.times * 100) / 100,
    }));
  },
  set(row, value) {
    if (Number.isFinite(Number(value)))
      bench.history.edit({ kind: 'set_stepper', [row.name]: Number(value) / row.times });
  },
  setSets(sets) {
    bench.history.edit({ kind: 'set_stepper', sets });
  },
  get loops() {
    return Boolean(bench.motions.one && bench.motions.one.loop);
  },
  get walkWords() {
    if (!bench.motions.one) return 'Make a motion first.';
    return this.loops
      ? 'The motion goes round and round: the legs walk on the spot, each cycle like the last.'
      : 'With a speed the body sets off, walks and stops; without one the legs follow the body as it has keys.';
  },
  /** Lay a walk as keys. */
  walk() {
    const about = bench.facings.told ? this.about : '';
    const said = [this.first, this.last, this.speed, about].map((one) =>
      one === '' || one === null ? null : Number(one),
    );
    const edit = { kind: 'walk', motion: bench.motions.one.id, first: said[0] || 0, last: said[1] };
    bench.history.edit({ ...edit, speed: this.loops && this.left ? -1 : said[2], about: said[3] });
  },
  setGround(path) {
    bench.history.edit({ kind: 'set_ground', motion: bench.motions.one.id, path });
  },
  /** What the live socket is asked for beside a pose; nothing while no legs step. */
  get asked() {
    if (!this.live) return undefined;
    const at = ((performance.now() - this.began) / 1000) * bench.page.figure.rate;
    return { at, motion: bench.motions.one ? bench.motions.one.id : null };
  },
  setLive(on) {
    this.live = on;
    if (!on) {
      if (this.keepWay()) return;
      // what the legs came to is the pose from here on
      bench.posing.pose = { channels: { ...bench.posing.pose.channels, ...this.channels } };
      bench.posing.sendPose();
      return;
    }
    this.channels = {};
    this.way = [];
    this.began = performance.now();
    bench.playing.stopSwing();
    bench.posing.posed = true;
    this.tick(this.began);
  },
  tick(last) {
    if (!this.live || bench.page.stageKey !== 'trial') {
      if (this.live) this.setLive(false);
      return;
    }
    requestAnimationFrame((now) => {
      const due = now - last >= 1000 / bench.page.figure.rate;
      if (due && this.live) bench.posing.sendPose();
      this.tick(due ? now : last);
    });
  },
  /** Where feet have come to; where everything is then is kept of the way. */
  stepped(channels, ended = false) {
    if (!this.live && !ended) return;
    this.channels = channels;
    if (!bench.motions.one) return; // legs step without one, too
    const at = ((performance.now() - this.began) / 1000) * bench.motions.one.rate;
    const before = this.way.at(-1);
    if (this.way.length < LONGEST && (!before || at > before.at))
      this.way.push({ at, channels: { ...bench.posing.pose.channels, ...this.channels } });
  },
  /** What was walked live is laid as keys of the motion, from the frame on which it began; told whether it was. */
  keepWay() {
    if (this.way.length) this.stepped(this.channels, true); // where the body was dragged to last, however late feet come after
    const { way } = this;
    if (!this.records || way.length < 3 || !bench.motions.one) return false;
    const names = Object.keys(way.at(-1).channels);
    const courses = names.map((name) => way.map(({ channels }) => channels[name] ?? way.at(-1).channels[name]));
    const lives = names.map((name, k) => name in this.channels || courses[k].some((value) => value !== courses[k][0]));
    bench.history.edit({
      kind: 'record_keys',
      motion: bench.motions.one.id,
      first: bench.strip.frame,
      at: way.map(({ at }) => at),
      channels: Object.fromEntries(names.map((name, k) => [name, courses[k]]).filter((_, k) => lives[k])),
    });
    this.laid = true;
    return true;
  },
  /** A new state of the figure: what was laid as keys is shown from its beginning. */
  taken() {
    if (!this.laid) return;
    this.laid = false;
    bench.strip.goTo(bench.strip.frame);
  },
};

/** The ground of the motion that is worked on; the even one as a line. */
export function drawGround(context, camera) {
  const { one } = bench.motions;
  if (!one) return;
  const points = one.ground.length ? one.ground : [[0, 0]];
  const ends = [[-1e5, points[0][1]], ...points, [1e5, points.at(-1)[1]]];
  context.save();
  Object.assign(context, { strokeStyle: '#5B6472', lineWidth: 1, globalAlpha: 0.7 });
  context.beginPath();
  ends.forEach((point, k) => {
    const [x, y] = camera.toScreen(...point);
    context[k ? 'lineTo' : 'moveTo'](x, y);
  });
  context.stroke();
  context.restore();
}
