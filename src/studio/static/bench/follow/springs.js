// Springs.

import { bench } from '../page/bench.js';

export const NO_SPRING = { there: false, frequency: 1.6, damping_ratio: 0.25, gravity: 980 };

export const springs = {
  spring: { ...NO_SPRING },
  get springWords() {
    const ids = bench.selection.oneBone ? bench.page.state.chains[bench.selection.oneBone.id] : [];
    return ids.map((ref) => bench.page.boneName(ref)).join(', ');
  },
  takeSpring() {
    const found =
      bench.selection.oneBone &&
      bench.page.figure.springs.find((one) => one.bones.includes(bench.selection.oneBone.id));
    this.spring = found
      ? { there: true, frequency: found.frequency, damping_ratio: found.damping_ratio, gravity: found.gravity }
      : { ...NO_SPRING };
  },
  setSpring() {
    const { frequency, damping_ratio, gravity } = this.spring;
    const found = bench.page.figure.springs.find((one) => one.bones.includes(bench.selection.oneBone.id));
    bench.history.edit({
      kind: 'set_spring',
      bone: found ? found.bones[0] : bench.selection.oneBone.id,
      frequency,
      damping_ratio,
      gravity,
    });
  },
  springChanged() {
    if (this.spring.there) this.setSpring();
  },
  removeSpring() {
    bench.history.edit({ kind: 'remove_spring', bone: bench.selection.oneBone.id });
  },
};
