// Lattices and tacks that wobble: bellies, cheeks, brims of hats.

import { bench } from '../page/bench.js';

const AS_IT_BEGINS = { frequency: 2.4, damping_ratio: 0.15, rim: true };

export const jelly = {
  /** Each lattice and all tacks, and how they wobble. */
  get rows() {
    const warps = bench.page.figure ? bench.page.figure.warps : [];
    const some = warps.filter(({ kind }) => kind === 'lattice' || kind === 'tacks');
    return some.map(({ id, name, kind, jelly: how }) => ({
      ...AS_IT_BEGINS,
      ...how,
      id,
      name,
      on: Boolean(how),
      hasRim: kind === 'lattice',
      frequencyId: `jelly-frequency-${id}`,
      dampingId: `jelly-damping-${id}`,
    }));
  },
  get any() {
    return this.rows.some(({ on }) => on);
  },
  turn(row, on) {
    this.send(row, on ? {} : { frequency: null });
  },
  set(row, name, value) {
    if (Number(value) > 0) this.send(row, { [name]: Number(value) });
  },
  setRim(row, rim) {
    this.send(row, { rim });
  },
  send({ id, frequency, damping_ratio, rim }, said) {
    bench.history.edit({ kind: 'set_jelly', warp: id, frequency, damping_ratio, rim, ...said });
  },
};
