// Tacks: spots of a part that hold it, what each holds, where the part is stiff.

import { bench } from '../page/bench.js';
import { alike } from './handles.js';

export const tacks = {
  brush: { radius: 60, soft: false },
  holds: {}, // px by which each moves the spot under it in the pose shown, by id
  /** The tacks that the chosen part has, or those chosen. */
  get warp() {
    const { one } = bench.warps;
    return one && one.kind === 'tacks' ? one : null;
  },
  /** The chosen tacks. */
  get some() {
    return this.warp ? bench.handles.some : [];
  },
  get one() {
    return this.some.length === 1 ? this.some[0] : null;
  },
  /** All tacks with what they hold in this pose. */
  get rows() {
    if (!this.warp) return [];
    return this.warp.handles.map((one) => ({
      key: one.id,
      word: one.name,
      on: bench.handles.ids.includes(one.id),
      holds: `holds ${this.held(one.id)} px`,
    }));
  },
  held(id) {
    return (bench.posing.posed ? this.holds[id] || 0 : 0).toFixed(1);
  },
  choose(id) {
    bench.handles.ids = [id];
    bench.sheet.redraw();
  },
  /** What the chosen tacks carry, or whether they stand still; '' where they differ. */
  common(name) {
    return alike(this.some, (one) => one[name]);
  },
  change(changes) {
    bench.history.edit({ kind: 'change_tacks', handles: [...bench.handles.ids], ...changes });
  },
  /** The part a tack would be set on: the one chosen, or that of the chosen tacks. */
  get part() {
    const { parts } = bench.selection;
    if (parts.length === 1) return parts[0];
    return this.warp ? this.warp.of[0] : null;
  },
  /** Set one at a place; it follows the chosen bones. */
  set(at) {
    const { part } = this;
    if (!part) {
      bench.page.warn('Choose the part that the tack shall hold first.');
      return;
    }
    bench.warps.expect();
    bench.history.edit({ kind: 'set_tack', part, at, bones: [...bench.selection.bones] });
  },
  /** The other chosen tacks follow and carry what the first one does. */
  copy() {
    const [source, ...onto] = bench.handles.ids;
    bench.history.edit({ kind: 'copy_tack', source, onto });
  },
  setReach(value) {
    if (value !== '') bench.history.edit({ kind: 'set_tacks', warp: this.warp.id, reach: Number(value) });
  },
  stiffen(stroke) {
    const { radius, soft } = this.brush;
    const how = { radius: Number(radius), amount: soft ? 0 : 1 };
    bench.history.edit({ kind: 'stiffen', warp: this.warp.id, stroke, ...how });
  },
};
