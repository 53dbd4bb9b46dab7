// Sets that are taken by the pose: by how far two bones are apart, each drawing since so many degrees.

import { bench } from '../page/bench.js';

export const taking = {
  bone: '', // the first of the two, as long as the other is not chosen
  /** Two bones by which a set is taken, and since when the drawing that shows is due. */
  get bones() {
    return (bench.sets.set && bench.sets.set.taken_by) || { one: this.bone, other: '' };
  },
  get since() {
    const row = bench.sets.rows.find((one) => one.on);
    return row && row.since !== null ? row.since : '';
  },
  /** Degrees by which a drawing goes later than it came. */
  get dead() {
    const taken = bench.sets.set && bench.sets.set.taken_by;
    return taken ? taken.dead : 2;
  },
  get byHand() {
    return Boolean(bench.sets.set && bench.sets.set.taken_by && bench.posing.channel(bench.sets.set.id, 'shows'));
  },
  letGo() {
    bench.posing.setChannels(bench.sets.set.id, { shows: 0 });
    if (!bench.posing.posed) bench.sheet.showRest();
  },
  /** Let the set be taken by how far two bones are apart; the drawing that shows since so many degrees. */
  take({ one = this.bones.one, other = this.bones.other, since = this.since, dead = this.dead }) {
    this.bone = one;
    if (!one || !other) {
      if (bench.sets.set.taken_by) bench.history.edit({ kind: 'take_drawings', set: bench.sets.set.id });
      return;
    }
    const row = bench.sets.rows.find((each) => each.on);
    const due = Object.fromEntries(
      bench.sets.rows.filter((each) => each.since !== null).map((each) => [each.of, each.since]),
    );
    if (since === '') delete due[row.of];
    else due[row.of] = Number(since);
    if (!Object.keys(due).length) due[row.of] = 0;
    bench.history.edit({
      kind: 'take_drawings',
      set: bench.sets.set.id,
      bones: [one, other],
      since: due,
      dead: Number(dead) || 0,
    });
  },
};
