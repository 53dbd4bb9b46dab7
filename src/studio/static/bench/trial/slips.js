// The slips of the strip, a key each: chosen, and dragged with the pointer.

import { bench } from '../page/bench.js';

export const slips = {
  held: null, // a key that is dragged, and how far
  /** A key is taken hold of: it, or all that are chosen with it, go along with the pointer, frame by frame. */
  hold(row, key, event) {
    this.held = { key, from: bench.strip.frameUnder(event), by: 0, event };
    event.target.setPointerCapture(event.pointerId);
  },
  pullKeys(event) {
    if (this.held) this.held = { ...this.held, by: bench.strip.frameUnder(event) - this.held.from };
  },
  letGo(row, key, event) {
    const { held } = this;
    this.held = null;
    if (!held) return;
    if (!held.by) {
      this.pick(row, key, event);
      return;
    }
    if (!bench.strip.chosen.includes(key.key)) bench.strip.chosen = [key.key];
    if (event.altKey) bench.keying.forChosen('move_keys', { by: held.by, copy_left: true });
    else bench.keying.move(held.by);
  },
  /** Where a key is drawn: with the pointer, while it is held. */
  keyPlace(one) {
    const moves = this.held && (one.on || one.key === this.held.key.key);
    return moves ? bench.strip.placeOf(one.frame + this.held.by) : one.place;
  },
  pick(row, key, event) {
    const more = event.shiftKey || event.ctrlKey;
    const others = more ? bench.strip.chosen.filter((one) => one !== key.key) : [];
    bench.strip.chosen = more && key.on ? others : [...others, key.key];
    bench.strip.goTo(key.frame);
  },
};
