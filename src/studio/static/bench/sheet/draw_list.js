// The server's draw list as it is posed: what of it shows, how far, and in which order. Nothing here paints.

import { same } from '../page/merging.js';

const MOST_LAYERS = 8; // groups painted by themselves in one another (kunstgriff/figure/model.py)

export class DrawList {
  items = [];
  layerLooks = {}; // of each group its opacity and blend mode
  amounts = null;
  order = null;
  drawn = []; // the ids of parts and groups
  opacities = null;
  faded = new Map(); // how opaque what is posed see-through is, by id
  changes = 0; // of anything that is painted

  /**
   * How far each switch of the draw list is on, the order its items are painted in (null: as listed), and how opaque
   * parts and groups are posed to be (null: wholly).
   */
  setSwitches(amounts, order, opacities = null) {
    const next = order && order.length ? order : null;
    if (same(amounts, this.amounts) && same(next, this.order) && same(opacities, this.opacities)) return;
    this.changes += 1;
    this.amounts = amounts;
    this.order = next;
    this.opacities = opacities;
    this.faded = new Map();
    if (opacities) this.drawn.forEach((ref, row) => opacities[row] < 1 && this.faded.set(ref, opacities[row]));
  }

  share(switches) {
    return switches.reduce((share, number) => share * this.amounts[number], 1);
  }

  opacityOf(item) {
    const own = item.opacity * this.share(item.switches);
    if (!this.faded.size) return own;
    const alone = this.layersOf(item);
    const refs = new Set([item.part, item.anchor, ...item.groups.filter((ref) => !alone.includes(ref))]);
    return [...refs].reduce((opacity, ref) => opacity * this.fadedBy(ref), own);
  }

  fadedBy(ref) {
    return this.faded.has(ref) ? this.faded.get(ref) : 1;
  }

  /** The groups around an item that are painted by themselves now; some that are posed see-through are, too. */
  layersOf(item) {
    if (!this.faded.size || !item.groups.length) return item.layers;
    const more = item.groups.filter((ref) => this.faded.has(ref) && !item.layers.includes(ref));
    const alone = [...item.layers, ...more.slice(0, Math.max(MOST_LAYERS - item.layers.length, 0))];
    return item.groups.filter((ref) => alone.includes(ref));
  }

  /** The draw list as it is painted now, back to front. */
  listed() {
    return this.order ? Array.from(this.order, (number) => this.items[number]) : this.items;
  }

  /** How groups are laid on now. */
  looks() {
    const looks = { ...this.layerLooks };
    for (const [ref, opacity] of this.faded) if (looks[ref]) looks[ref] = [looks[ref][0] * opacity, looks[ref][1]];
    return looks;
  }
}
