// Warps: which there are, which one is chosen, its grid.

import { bench } from '../page/bench.js';

/** How many handles a warp has, in words. */
function sizeOf(warp) {
  if (warp.kind === 'lattice') return `${warp.columns} × ${warp.rows}`;
  return `${warp.handles.length} ${{ cage: 'corners', curve: 'handles', tacks: 'tacks' }[warp.kind]}`;
}

/** The ids of the parts under a warp. */
export function partsUnder(warp) {
  return new Set(warp.of.flatMap((ref) => bench.sets.partsOf(ref).map((part) => part.id)));
}

export const warps = {
  chosen: '',
  known: null, // ids of those there were when another was asked for
  shown: 'chosen',
  asked: { columns: 4, rows: 4, local: false, turned: false },
  corners: 10,
  along: { handles: '', keeps_length: false },
  kind: 'lattice',
  get all() {
    return bench.page.figure ? bench.page.figure.warps : [];
  },
  get one() {
    return this.all.find((warp) => warp.id === this.chosen) || null;
  },
  /** The warps whose handles show on the sheet. */
  get onSheet() {
    if (this.shown === 'none') return [];
    return this.shown === 'all' ? this.all : this.one ? [this.one] : [];
  },
  get title() {
    const { kind } = this.one || { kind: 'lattice' };
    return { lattice: 'Its grid', cage: 'Its outline', curve: 'Its line', tacks: 'The part' }[kind];
  },
  get rows() {
    return this.all.map((warp, place) => ({
      key: warp.id,
      word: warp.name,
      on: warp.id === this.chosen,
      facts: `${sizeOf(warp)}, ${warp.of.length === 1 ? bench.page.memberName(warp.of[0]) : `${warp.of.length} things`}`,
      first: place === 0,
      last: place === this.all.length - 1,
    }));
  },
  choose(id) {
    this.chosen = this.chosen === id ? '' : id;
    bench.handles.ids = [];
    bench.sheet.redraw();
  },
  /** After an edit: what is gone is chosen no more, and a lattice just laid is. */
  keepWhatIsThere() {
    const there = new Set(bench.handles.all.map((one) => one.id));
    bench.handles.ids = bench.handles.ids.filter((id) => there.has(id));
    const laid = this.known && this.all.find((warp) => !this.known.has(warp.id));
    if (laid) this.chosen = laid.id;
    if (laid || !this.one) this.known = null;
  },
  get mayLay() {
    return bench.selection.parts.length > 0;
  },
  /** A whole group, where all that is chosen is all of it, is warped as the group: what joins it later is warped, too. */
  get layWords() {
    const group = this.wholeGroup;
    if (!this.mayLay) return 'Choose parts first';
    if (this.kind === 'tacks') return `Propose tacks for ${bench.page.partName(bench.selection.parts[0])}`;
    const where = `Lay it ${this.kind === 'curve' ? 'along' : 'around'}`;
    if (group) return `${where} ${group.name}`;
    const { parts } = bench.selection;
    return parts.length === 1 ? `${where} ${bench.page.partName(parts[0])}` : `${where} ${parts.length} parts`;
  },
  get wholeGroup() {
    const chosen = new Set(bench.selection.parts);
    if (chosen.size < 2) return null;
    return (
      bench.page.figure.groups.find((group) => {
        const inside = bench.sets.partsOf(group.id).map((part) => part.id);
        return inside.length === chosen.size && inside.every((id) => chosen.has(id));
      }) || null
    );
  },
  lay(drawn = {}) {
    if (!this.mayLay) {
      bench.page.warn('Choose the parts it shall lie around first.');
      return;
    }
    this.expect();
    if (this.kind === 'tacks') {
      const [part] = bench.selection.parts;
      const there = this.all.find((warp) => warp.kind === 'tacks' && warp.of[0] === part);
      if (there) this.chosen = there.id; // they are added to those it has
      bench.history.edit({ kind: 'propose_tacks', part, bones: [...bench.selection.bones] });
      return;
    }
    const group = this.wholeGroup;
    const around = group ? { groups: [group.id] } : { parts: bench.selection.selectedParts() };
    bench.history.edit({ ...this.how, ...around, ...drawn });
  },
  /** Another one is asked for: when it is there it is the chosen one. */
  expect() {
    this.known = new Set(this.all.map((warp) => warp.id));
  },
  /** What is asked for, as an edit without what it lies around. */
  get how() {
    if (this.kind === 'cage') return { kind: 'lay_cage', corners: this.corners };
    if (this.kind === 'lattice') return { kind: 'lay_lattice', ...JSON.parse(JSON.stringify(this.asked)) };
    const { handles, keeps_length } = this.along;
    return { kind: 'lay_curve', handles: handles ? Number(handles) : null, keeps_length };
  },
  set(changes) {
    bench.history.edit({ kind: `set_${this.one.kind}`, warp: this.chosen, ...changes });
  },
  /** Columns or rows, as typed. */
  setCount(name, value) {
    if (value !== '') this.set({ [name]: Number(value) });
  },
  order(to) {
    bench.history.edit({ kind: 'order_warp', warp: this.chosen, to });
  },
  even() {
    const { ids } = bench.handles;
    const handles = ids.length ? [...ids] : null;
    bench.history.edit({ kind: 'even_handles', warp: this.chosen, handles });
  },
  lift() {
    bench.history.edit({ kind: 'lift_warp', warp: this.chosen });
  },
};
