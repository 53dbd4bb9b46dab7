// What of a motion is for its springs: where they begin anew, where they are knocked, their swing baked to keys.

import { bench } from '../page/bench.js';

const SAME = 1e-6; // frames

export const swinging = {
  right: 800,
  down: 0,
  error: 0.5,
  get one() {
    return bench.motions.one;
  },
  get shows() {
    return bench.page.stageKey === 'trial' && Boolean(this.one && bench.page.figure.springs.length);
  },
  /** What happens to springs, frame by frame. */
  get words() {
    if (!this.one) return '';
    const cuts = this.one.cuts.map(({ at, settled }) => `${settled ? 'settled' : 'at rest'} anew on ${at}`);
    const blows = this.one.blows.map(({ at }) => `knocked on ${at}`);
    const told = [...cuts, ...blows, this.isBaked ? 'some are baked to keys' : ''].filter(Boolean);
    return told.length ? `Springs: ${told.join(', ')}.` : 'Springs follow the motion from its beginning.';
  },
  get isBaked() {
    return Boolean(this.one && this.one.tracks.some(({ channel }) => channel.endsWith('.swings')));
  },
  get cutHere() {
    return Boolean(this.one && this.one.cuts.some(({ at }) => Math.abs(at - bench.strip.frame) < SAME));
  },
  get blowHere() {
    return Boolean(this.one && this.one.blows.some(({ at }) => Math.abs(at - bench.strip.frame) < SAME));
  },
  cut() {
    bench.history.edit({ kind: 'set_cut', motion: this.one.id, at: bench.strip.frame, cut: !this.cutHere });
  },
  knock() {
    const way = this.blowHere ? null : [Number(this.right), Number(this.down)];
    bench.history.edit({ kind: 'set_blow', motion: this.one.id, at: bench.strip.frame, way });
  },
  /** Of the chain of the chosen bone, or of all. */
  get chosen() {
    const { oneBone } = bench.selection;
    const springy = oneBone && bench.page.figure.springs.some(({ bones }) => bones.includes(oneBone.id));
    return springy ? [oneBone.id] : [];
  },
  bake() {
    const { id } = this.one;
    bench.history.edit({ kind: 'bake_springs', motion: id, bones: this.chosen, error: Number(this.error) || 0.5 });
  },
  lift() {
    bench.history.edit({ kind: 'lift_baked', motion: this.one.id, bones: this.chosen });
  },
};
