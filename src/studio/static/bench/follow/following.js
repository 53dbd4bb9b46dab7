// How chains follow through a motion: read, told, and drawn a line each.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';

export const following = {
  found: null,
  reading: false,
  of: '',
  get stale() {
    return this.of !== `${bench.page.state ? bench.page.state.seen : ''} ${bench.playing.motionName}`;
  },
  get words() {
    if (this.reading) return 'Reading …';
    if (!this.found) return 'How far chains lag, swing and settle in the motion above, and what they go into.';
    if (this.stale) return 'Read before something changed; read it again.';
    return this.rows.length ? '' : 'Nothing is springy.';
  },
  async read() {
    this.reading = true;
    const motion = encodeURIComponent(bench.playing.motionName);
    this.of = `${bench.page.state.seen} ${bench.playing.motionName}`;
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/follow-reading/${bench.page.state.seen}/?motion=${motion}`,
    );
    this.reading = false;
    if (answer.ok) {
      this.found = answer.data;
      this.draw();
    }
    if (!answer.ok) bench.page.warn(answer.data.sentence);
  },
  get rows() {
    if (!this.found) return [];
    const number = (value, unit, digits = 1) => (value === null ? '–' : `${value.toFixed(digits)}${unit}`);
    const jellies = this.found.jellies.map(({ warp, name, furthest, furthest_at: at }) => ({
      key: warp,
      bone: null,
      name,
      colour: '#515A67',
      words: `goes ${number(furthest, ' px')} off its place, on frame ${at}`,
    }));
    const chains = this.found.chains.map((one) => ({
      key: one.spring,
      bone: one.bones[0],
      name: one.name,
      colour: bench.page.state.colours[one.bones[0]] || '#515A67',
      words: `lags ${number(one.lag, '')}, ${number(one.furthest, '°', 0)} off, deepest ${number(one.deepest, ' px')}`,
    }));
    return [...chains, ...jellies];
  },
  get faults() {
    return this.found ? this.found.findings.map((one, k) => ({ ...one, key: k })) : [];
  },
  /** The chain goes through that collider from now on. */
  letPass(fault) {
    bench.history.edit({ kind: 'pass_colliders', bone: fault.bone, colliders: [fault.collider] });
  },
  look(bone) {
    if (bone) bench.selection.pickBone(bone);
  },
  /** The plots: a line for each chain, how far its tip is off where the pose holds it, over the frames. */
  draw() {
    const canvas = document.getElementById('follow-plot');
    if (!(canvas instanceof HTMLCanvasElement) || !this.found) return;
    const [context, { width, height }] = [canvas.getContext('2d'), canvas];
    const most = Math.max(5, ...this.found.chains.map((one) => Math.max(...one.plot.map(Math.abs))));
    context.clearRect(0, 0, width, height);
    context.lineWidth = 1;
    context.strokeStyle = '#D9CFBD';
    context.strokeRect(0, height / 2, width, 0);
    context.lineWidth = 2.5;
    for (const one of this.found.chains) {
      context.strokeStyle = bench.page.state.colours[one.bones[0]] || '#515A67';
      context.beginPath();
      one.plot.forEach((value, k) => {
        const x = (width * k) / Math.max(one.plot.length - 1, 1);
        context.lineTo(x, height / 2 - (value / most) * (height / 2 - 5));
      });
      context.stroke();
    }
  },
};
