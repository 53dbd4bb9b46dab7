// The handles chosen of a warp, and dragging them.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';

const ROUND = 100;

/** What some things say alike, '' where they differ or there are none. */
export function alike(some, read) {
  const values = some.map(read);
  return values.length && values.every((one) => one === values[0]) ? values[0] : '';
}

export const handles = {
  ids: [],
  mirrored: false,
  alone: false,
  /** Those of all warps. */
  get all() {
    return bench.warps.all.flatMap((warp) => warp.handles);
  },
  /** The chosen ones of the chosen warp. */
  get some() {
    return bench.warps.one ? bench.warps.one.handles.filter(({ id }) => this.ids.includes(id)) : [];
  },
  get words() {
    if (!this.ids.length) return 'No handle is chosen: click one on the sheet, or drag a box around several.';
    return this.ids.length === 1 ? 'One handle' : `${this.ids.length} handles`;
  },
  get one() {
    return (this.ids.length === 1 && this.some[0]) || null;
  },
  /** Where the one chosen handle lies at rest, or how far it is shifted in the pose. */
  get place() {
    const handle = this.one;
    if (!handle) return { x: '', y: '' };
    const [x, y] = bench.posing.posed
      ? ['shift.x', 'shift.y'].map((name) => bench.posing.channel(handle.id, name))
      : handle.place;
    return { x: Math.round(x * ROUND) / ROUND, y: Math.round(y * ROUND) / ROUND };
  },
  setPlace(axis, value) {
    const handle = this.one;
    if (!handle || value === '' || !Number.isFinite(Number(value))) return;
    if (bench.posing.posed) {
      bench.posing.setChannels(handle.id, { [axis === 0 ? 'shift.x' : 'shift.y']: Number(value) });
      return;
    }
    const to = [...handle.place];
    to[axis] = Number(value);
    bench.history.edit({ kind: 'move_handles', handles: [handle.id], to });
  },
  /** How many times as wide the chosen handles of a curve make it, at rest or in the pose; '' where they differ. */
  get width() {
    const { posed } = bench.posing;
    const width = alike(this.some, (one) => (posed ? bench.posing.channel(one.id, 'width') : one.width));
    return width === '' ? '' : Math.round(width * ROUND) / ROUND;
  },
  setWidth(value) {
    if (value === '' || !Number.isFinite(Number(value))) return;
    if (bench.posing.posed) for (const id of this.ids) bench.posing.setChannels(id, { width: Number(value) });
    else bench.history.edit({ kind: 'widen_handles', handles: [...this.ids], width: Number(value) });
  },
  /** The handle across the middle of its lattice, and what of a move it makes. */
  acrossOf(id) {
    const warp = bench.warps.all.find((one) => one.handles.some((each) => each.id === id));
    if (warp.kind !== 'lattice') return id;
    const number = warp.handles.findIndex((one) => one.id === id);
    const column = number % warp.columns;
    return warp.handles[number - column + warp.columns - 1 - column].id;
  },
  /** All handles that a drag of the chosen ones moves, each with the move it makes for [x, y]. */
  dragged() {
    const moved = new Map(this.ids.map((id) => [id, 1]));
    if (this.mirrored)
      for (const id of this.ids) {
        const across = this.acrossOf(id);
        if (!moved.has(across)) moved.set(across, -1);
      }
    return moved;
  },
  /** Posed, chosen handles are dragged by so much from where the drag began: channels; at rest: an edit. */
  drop(by) {
    const round = by.map((one) => Math.round(one * ROUND) / ROUND);
    bench.history.edit({
      kind: 'move_handles',
      handles: [...this.ids],
      by: round,
      mirrored: this.mirrored,
      alone: this.alone && ['cage', 'curve'].includes(bench.warps.one.kind),
    });
  },
  nudge(by) {
    if (!this.ids.length) return false;
    if (bench.posing.posed) {
      for (const [id, sign] of this.dragged())
        bench.posing.setChannels(id, {
          'shift.x': bench.posing.channel(id, 'shift.x') + sign * by[0],
          'shift.y': bench.posing.channel(id, 'shift.y') + by[1],
        });
      return true;
    }
    if (bench.page.mayBuild) bench.history.gather(by, (sum) => this.drop(sum));
    return true;
  },
  /** Where a handle is on the sheet now. */
  placeOf(id) {
    const at = engine.handlePlaces;
    if (at && at.has(id)) return at.get(id);
    return this.all.find((one) => one.id === id).place;
  },
  /** One more corner of a cage, halfway from the chosen one to the next. */
  addCorner() {
    bench.history.edit({ kind: 'add_corner', handle: this.ids[0] });
  },
  /** Chosen corners of a cage or tacks go; tells whether any do. */
  remove() {
    const kind = { cage: 'remove_corners', tacks: 'remove_tacks' }[bench.warps.one ? bench.warps.one.kind : ''];
    if (!this.ids.length || !kind) return false;
    bench.history.edit({ kind, handles: [...this.ids] });
    return true;
  },
};
