// Sets: the drawings that can be swapped for one another.

import { bench } from '../page/bench.js';
import { oncePainted } from '../sheet/seen.js';

export const sets = {
  due: {}, // of each set that is taken by the pose the number of the drawing that shows by itself
  get groups() {
    return bench.page.figure ? bench.page.figure.groups.filter((group) => group.drawings.length) : [];
  },
  /** The set that all chosen parts are drawings of, or parts of some. */
  get set() {
    const [first = null, ...others] = bench.selection.selectedParts().map((id) => this.around(id));
    return others.every((one) => one === first) ? first : null;
  },
  around(id) {
    const refs = [id, ...bench.picking.groupsAround(bench.page.figure.parts.find((part) => part.id === id))];
    return this.groups.find((group) => group.drawings.some((one) => refs.includes(one.of))) || null;
  },
  /** The part others are set up like: the chosen one, or the first of the drawing that shows. */
  get like() {
    const { onePart } = bench.selection;
    return onePart ? onePart.id : this.partsOf(this.rows.find((one) => one.on).of)[0].id;
  },
  /** The number of the drawing a set shows: what its channel says, what the pose takes, or the first. */
  shownIn(group) {
    const asked = bench.posing.channel(group.id, 'shows') || this.due[group.id];
    return (group.drawings.find((one) => one.number === asked) || group.drawings[0]).number;
  },
  /** What a pose takes, by how far switches are on in it. */
  see(amounts) {
    for (const [place, ref, number] of bench.page.state.showing) if (amounts[place] > 0.5) this.due[ref] = number;
  },
  partsOf(ref) {
    return bench.page.figure.parts.filter((part) => part.id === ref || bench.picking.groupsAround(part).includes(ref));
  },
  get rows() {
    const { set } = this;
    if (!set) return [];
    const shown = this.shownIn(set);
    return set.drawings.map((one, place) => {
      const parts = this.partsOf(one.of);
      const name = bench.page.memberName(one.of);
      const src = parts.length ? `/figures/pictures/${parts.at(-1).drawing.picture}.png` : '';
      return { ...one, key: one.number, name, src, on: one.number === shown, first: place === 0 };
    });
  },
  get title() {
    return this.set ? `Set ${this.set.name}` : '';
  },
  /** Show one drawing, posed and at rest; what is shown is what is worked on. */
  show(number) {
    const { set } = this;
    const { of } = set.drawings.find((one) => one.number === number);
    bench.posing.setChannels(set.id, { shows: number });
    if (!bench.posing.posed) bench.sheet.showRest();
    // the card takes its time, the picture shall not wait for it
    oncePainted(bench.posing.posed, () => bench.selection.pickPart(this.partsOf(of)[0].id));
  },
  /** The drawing after the one that shows. */
  next() {
    const { rows } = this;
    if (rows.length) this.show(rows[(rows.findIndex((one) => one.on) + 1) % rows.length].number);
  },
  /** How far switches are on at rest, with each set showing what it was asked to. */
  amountsAtRest() {
    const { amounts, showing } = bench.page.state;
    this.due = {};
    this.see(amounts);
    const now = [...amounts];
    const shown = new Map(this.groups.map((group) => [group.id, this.shownIn(group)]));
    for (const [number, ref, drawing] of showing) now[number] = shown.get(ref) === drawing ? 1 : 0;
    return now;
  },
  get mayMake() {
    return (
      bench.selection.parts.length > 1 &&
      !bench.selection.parts.some((id) => this.groups.some((group) => group.drawings.some((one) => one.of === id)))
    );
  },
  make() {
    bench.history.edit({ kind: 'make_set', drawings: bench.selection.selectedParts() });
  },
  alike() {
    bench.history.edit({ kind: 'set_up_alike', like: this.like });
  },
  first() {
    const row = this.rows.find((one) => one.on);
    bench.history.edit({ kind: 'order_set', drawing: row.of, position: 0 });
  },
  takeOut() {
    const row = this.rows.find((one) => one.on);
    bench.history.edit({ kind: 'take_from_set', drawing: row.of });
  },
  dissolve() {
    bench.history.edit({ kind: 'dissolve_set', set: this.set.id });
  },
};
