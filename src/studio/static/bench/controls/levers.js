// Levers: controls of one's own, across, up and down or both ways.

import { bench } from '../page/bench.js';
import { carried } from '../page/scene.js';
import { engine } from '../page/engine.js';

const ROUND = 1000;
const WAYS = { x: 'across', y: 'up and down' };
const ASIDE = 64; // px on the screen a new lever stands beside what it is laid at

export const levers = {
  chosen: '',
  known: null, // the ids of those that were there before one is made
  name: '',
  goes: 'y',
  get all() {
    return bench.page.figure ? bench.page.figure.levers : [];
  },
  get one() {
    return this.all.find(({ id }) => id === this.chosen) || null;
  },
  get title() {
    return this.one ? `Lever ${this.one.name}` : '';
  },
  /** The axes of the chosen one as the card shows them: its numbers are its own, not counted from its rest. */
  get axes() {
    return this.one ? this.axesOf(this.one) : [];
  },
  axesOf(lever) {
    return Object.keys(WAYS)
      .filter((way) => lever[way])
      .map((way) => ({
        ...lever[way],
        way,
        key: `${lever.id} ${way}`,
        word: lever.x && lever.y ? WAYS[way] : lever.name,
        ref: `lever-${way}`,
        numberWords: `${WAYS[way]}, as a number`,
        endWords: lever.x && lever.y ? `From, to ${WAYS[way]}` : 'From, to',
        catchRef: `lever-catches-${way}`,
        now: this.valueOf(lever, way),
        step: (lever[way].high - lever[way].low) / 200,
        catches: lever[way].detents.join(', '),
      }));
  },
  valueOf(lever, way) {
    return Math.round((lever[way].rest + bench.posing.channel(lever.id, `lever.${way}`)) * ROUND) / ROUND;
  },
  /** Move a lever to numbers of its own; it goes no further than its ends and catches where it has a detent. */
  move(lever, values, catching = 0) {
    if (!bench.posing.posed) bench.posing.turnOver();
    const channels = Object.entries(values).map(([way, value]) => {
      const { low, high, rest, detents } = lever[way];
      const held = [rest, ...detents].find((one) => Math.abs(one - value) <= catching * (high - low));
      const now = Math.min(Math.max(held === undefined ? value : held, low), high);
      return [`lever.${way}`, Math.round((now - rest) * ROUND) / ROUND];
    });
    bench.posing.setChannels(lever.id, Object.fromEntries(channels));
  },
  set(way, value) {
    if (this.one && value !== '' && Number.isFinite(Number(value))) this.move(this.one, { [way]: Number(value) });
  },
  /** Move it by so many steps across and up. */
  nudge(across, up) {
    const by = { x: across, y: up };
    const moved = this.axes.filter(({ way }) => by[way]).map(({ way, now, step }) => [way, now + step * by[way]]);
    if (moved.length) this.move(this.one, Object.fromEntries(moved));
  },
  toRest() {
    bench.posing.keepChannels((id) => id !== this.one.id);
    bench.posing.sendPose();
  },
  /** Where a lever stands on the sheet, carried by what it hangs on; null for one on the slip only. */
  placeOf({ place, hangs_on: bone }) {
    if (!place) return null;
    return bone && bench.posing.posed ? carried(bone, place) : place;
  },
  /** How far a lever is from its rest, all that drives it included. */
  standOf({ id }) {
    return (bench.posing.posed && engine.leverStands && engine.leverStands[id]) || [0, 0];
  },
  make() {
    this.known = new Set(this.all.map(({ id }) => id));
    const bone = bench.selection.oneBone;
    const [x, y] = bone ? bone.tip : [0, 0];
    const aside = (Math.sign(x) || 1) * (ASIDE / engine.camera.scale); // outwards, the figure stands about 0
    bench.history.edit({
      kind: 'lay_lever',
      axes: this.goes,
      ...(this.name.trim() ? { name: this.name.trim() } : {}),
      ...(bone ? { hangs_on: bone.id, place: [Math.round(x + aside), Math.round(y)] } : {}),
    });
    this.name = '';
  },
  /** A new state of the figure: the one that was made is chosen. */
  taken() {
    const made = this.known && this.all.find(({ id }) => !this.known.has(id));
    if (made) bench.slip.choose({ kind: 'lever', id: made.id });
    if (made) this.known = null;
  },
  /** Where it stands on the sheet, at rest. */
  get place() {
    const [x, y] = (this.one && this.one.place) || ['', ''];
    return { x: x === '' ? '' : Math.round(x), y: y === '' ? '' : Math.round(y) };
  },
  put(k, value) {
    if (value === '' || !Number.isFinite(Number(value))) return;
    const place = this.one.place ? [...this.one.place] : [0, 0];
    place[k] = Number(value);
    this.change({ place });
  },
  change(changes) {
    bench.history.edit({ kind: 'set_lever', lever: this.one.id, ...changes });
  },
  /** Ends, rest, resistance or where it catches, of one axis. */
  changeAxis(way, name, value) {
    const numbers = String(value).split(/[,;\s]+/).filter(Boolean).map(Number); // prettier-ignore
    this.change({ axis: way, [name]: name === 'detents' ? numbers : numbers[0] });
  },
  lift() {
    bench.history.edit({ kind: 'lift_lever', lever: this.one.id });
  },
};
