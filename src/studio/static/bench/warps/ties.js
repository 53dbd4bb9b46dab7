// What the chosen handles of a warp are tied to.

import { bench } from '../page/bench.js';
import { alike } from './handles.js';
import { partsUnder } from './warps.js';

export const ties = {
  bone: '',
  brush: { radius: 120, less: false },
  /** The bone that shares are brushed of: the one chosen. */
  get brushed() {
    return bench.warps.one && bench.selection.bones.length === 1 ? bench.selection.bones[0] : null;
  },
  brushOver(stroke) {
    const { radius, less } = this.brush;
    const how = { radius: Number(radius), amount: less ? -0.25 : 0.25 };
    bench.history.edit({ kind: 'brush_ties', warp: bench.warps.chosen, bone: this.brushed, stroke, ...how });
  },
  /** The bones the chosen handles follow, each with its share, or none where they differ. */
  get rows() {
    const { some } = bench.handles;
    const refs = [...new Set(some.flatMap((handle) => handle.ties.map((tie) => tie.bone)))];
    return refs.map((ref) => ({
      key: ref,
      id: `tie-${ref}`,
      word: bench.page.boneName(ref),
      share: alike(some, (handle) => (handle.ties.find((tie) => tie.bone === ref) || { share: 0 }).share),
    }));
  },
  set(bone, share) {
    if (share === '' || !Number.isFinite(Number(share))) return;
    bench.history.edit({ kind: 'tie_handles', handles: [...bench.handles.ids], bone, share: Number(share) });
  },
  add() {
    if (this.bone && bench.handles.ids.length) this.set(this.bone, 1);
  },
  /** The part that the chosen handles ride on, '' where on none or on several. */
  get ridden() {
    return alike(bench.handles.some, ({ rides }) => rides) || '';
  },
  /** The parts they could ride on: all that their warp does not reshape. */
  get carriers() {
    const { one } = bench.warps;
    if (!one) return [];
    const under = partsUnder(one);
    return bench.page.figure.parts.filter((part) => !under.has(part.id) && !part.left_out);
  },
  ride(part) {
    bench.history.edit({ kind: 'ride_handles', handles: [...bench.handles.ids], part: part || null });
  },
  /** Shares of the chosen bones found as weights of a mesh are. */
  findThem() {
    bench.history.edit({ kind: 'tie_warp', warp: bench.warps.chosen, bones: [...bench.selection.bones] });
  },
  get findWords() {
    const count = bench.selection.bones.length;
    return count
      ? `Tie all handles to the ${count === 1 ? 'chosen bone' : `${count} chosen bones`}`
      : 'Untie all handles';
  },
  /** Whether there is anything to tie all handles to, or to untie. */
  get mayFind() {
    const { one } = bench.warps;
    if (!one) return false;
    return bench.selection.bones.length > 0 || one.handles.some((handle) => handle.ties.length);
  },
};
