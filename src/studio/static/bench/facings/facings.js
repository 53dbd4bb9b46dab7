// The facings of the figure: which one is looked at, and turning to another without a flash.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';

const LONGEST = 1500; // ms that the old picture stays while the new one is made ready
const USUAL = [
  { name: 'half front', angle: 45 },
  { name: 'side', angle: 90 },
  { name: 'half back', angle: 135 },
  { name: 'back', angle: 180 },
];
const states = new Map(); // of the revision at hand, by facing

/** A pose with its sides changed, as in a mirror. */
export function mirrored(channels, { otherSides, oneWay }, quantities) {
  const entries = Object.entries(channels).map(([address, value]) => {
    const dot = address.indexOf('.');
    const [id, name] = [address.slice(0, dot), address.slice(dot + 1)];
    const there = `${otherSides[id] || id}.${name}`;
    const { mirrored: sign } = quantities[name] || { mirrored: 1 };
    return [there, value * (oneWay.includes(there) ? 1 : sign)];
  });
  return Object.fromEntries(entries);
}

export const facings = {
  wanted: 0, // the one that is looked at; 0 the first
  wasMirrored: false,
  newName: '',
  newAngle: '',
  get told() {
    return bench.page.state ? bench.page.state.facings : null;
  },
  get shown() {
    return this.told ? this.told.shown : 0;
  },
  get mirrored() {
    return Boolean(this.told && this.told.mirrored);
  },
  get one() {
    return this.told ? this.told.facings.find(({ number }) => number === this.shown) : null;
  },
  /** All of them round the figure, from the one that looks furthest to the left. */
  get rows() {
    if (!this.told) return [];
    const { facings, first, shown } = this.told;
    return facings
      .map(({ number, name, angle, mirrors }) => ({
        number,
        name,
        on: number === shown,
        mirrors,
        angle,
        words: mirrors ? `${angle}°, mirrored` : `${angle}°`,
        picture: `/bench/${bench.page.figureId}/facing/${bench.page.state.revision}${number === first ? '' : `.${number}`}.png`,
      }))
      .sort((one, other) => one.angle - other.angle);
  },
  /** What the facing shown has of its own, in words. */
  get loanWords() {
    if (!this.told) return '';
    if (this.mirrored) {
      const of = this.told.facings.find(({ number }) => number === this.one.mirrors);
      return `The mirror picture of ${of.name}: sides change places. What you change here is changed on ${of.name}.`;
    }
    const { parts } = bench.page.figure;
    const lent = parts.filter(({ id }) => this.told.loans.includes(id));
    if (!lent.length) return 'All parts have a drawing or a place of their own here.';
    const names = lent.slice(0, 4).map(({ name }) => name);
    const more = lent.length > 4 ? ` and ${lent.length - 4} more` : '';
    return `${lent.length} of ${parts.length} parts are lent by the nearest facing: ${names.join(', ')}${more}.`;
  },
  get usual() {
    const there = this.told ? this.told.facings : [{ name: 'front', angle: 0 }];
    return USUAL.filter(({ name, angle }) => !there.some((one) => one.name === name || one.angle === angle));
  },
  get mayMirror() {
    return Boolean(this.told) && this.told.facings.some((one) => this.mirrorable(one));
  },
  mirrorable({ mirrors, angle }) {
    if (mirrors || !angle || Math.abs(angle) === 180) return false;
    return !this.told.facings.some((one) => Math.abs(one.angle + angle) < 1);
  },
  get mayLift() {
    return Boolean(this.told) && this.shown !== this.told.first;
  },
  get mayLend() {
    const { parts } = bench.selection;
    return this.mayLift && !this.mirrored && parts.some((id) => !this.told.loans.includes(id));
  },
  /** An edit as it is made on the facing shown. */
  of(edit) {
    const wrapped = this.mayLift && edit.kind !== 'in_facing';
    return wrapped ? { kind: 'in_facing', facing: this.shown, edit } : edit;
  },
  /** The pose on the sheet with the facing it is looked at from, for what keeps or delivers it. */
  get pose() {
    const channels = { ...bench.posing.pose.channels };
    if (!this.told) return { channels };
    const as = this.mirrored ? mirrored(channels, this.told, bench.page.state.quantities) : channels;
    return { channels: this.shown === this.told.first ? as : { ...as, [this.told.address]: this.shown } };
  },
  /** Whether a state is of a facing that is looked at no more. */
  passedBy({ facings: told }) {
    if (!told || told.shown === (this.wanted || told.first)) return false;
    if (told.facings.some(({ number }) => number === this.wanted)) return true;
    this.wanted = 0; // it was taken away
    return false;
  },
  add({ name, angle }) {
    bench.history.edit({ kind: 'add_facing', name, angle });
  },
  addOwn() {
    const angle = Number(this.newAngle);
    if (this.newName.trim() && Number.isFinite(angle)) this.add({ name: this.newName.trim(), angle });
    [this.newName, this.newAngle] = ['', ''];
  },
  mirrorAll() {
    bench.history.edit({ kind: 'mirror_facings' });
  },
  get oneName() {
    return this.one ? this.one.name : '';
  },
  get oneAngle() {
    return this.one ? this.one.angle : 0;
  },
  rename(name) {
    bench.history.edit({ kind: 'set_facing', facing: this.shown, name });
  },
  setAngle(angle) {
    bench.history.edit({ kind: 'set_facing', facing: this.shown, angle: Number(angle) });
  },
  lift() {
    bench.history.edit({ kind: 'lift_facing', facing: this.shown });
  },
  lend() {
    const parts = bench.selection.parts.filter((id) => !this.told.loans.includes(id));
    bench.history.edit({ kind: 'lend_parts', parts });
  },
  /** The next one round the figure, to the right or to the left. */
  step(by) {
    const { rows } = this;
    const at = rows.findIndex(({ on }) => on);
    if (rows.length > 1) this.turnTo(rows[(at + by + rows.length) % rows.length].number);
  },
  /** Look from another side; what is seen stays until all of the new picture is there. */
  async turnTo(number) {
    if (!this.told || number === this.shown) return;
    this.wanted = number;
    const state = await this.stateOf(number);
    if (!state || this.wanted !== number) return;
    engine.held = new Set(bench.posing.posed ? ['pictures', 'frame'] : ['pictures']);
    setTimeout(() => bench.sheet.release('pictures', 'frame'), LONGEST);
    await bench.opening.take(state);
  },
  async stateOf(number) {
    const key = `${bench.page.state.revision}.${number}`;
    if (!states.has(key)) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/state/?facing=${number}`);
      if (!answer.ok) {
        bench.page.warn(answer.data.sentence);
        return null;
      }
      if (answer.data.revision !== bench.page.state.revision) return answer.data;
      states.set(key, answer.data);
    }
    return states.get(key);
  },
  /** Have all facings at hand, so that turning takes no time. */
  async ready() {
    if (!this.told) return;
    const { revision } = bench.page.state;
    for (const { number } of this.told.facings) {
      if (bench.page.state.revision !== revision) return;
      const state = await this.stateOf(number); // one after the other: nothing else shall wait for them
      if (!state) return;
      await bench.opening.geometryOf(state);
      await engine.stage.loadPictures(() => {}, state.items);
    }
  },
  taken() {
    for (const key of states.keys()) if (!key.startsWith(`${bench.page.state.revision}.`)) states.delete(key);
    engine.queue.facing = this.shown;
    this.wanted = this.mayLift ? this.shown : 0;
    if (this.mirrored === this.wasMirrored) return;
    this.wasMirrored = this.mirrored;
    const channels = mirrored(bench.posing.pose.channels, this.told, bench.page.state.quantities);
    bench.posing.pose = { channels };
    bench.sheet.resize();
  },
};
