// The slip of controls: all of a figure in groups, searched, those off rest marked.

import { bench } from '../page/bench.js';
import { channelWords } from './drives.js';
import { parted } from '../page/address.js';

/** The channels a control moves. */
function channelsOf(kind, one) {
  if (kind === 'shape') return [...Object.keys(one.on_top), ...Object.keys(one.instead)];
  return [one.x, one.y].filter(Boolean).flatMap((axis) => axis.drives.map(({ channel }) => channel));
}

/** The parts that a control pulls at. */
function pulledBy(kind, one) {
  const sculpts = kind === 'shape' ? one.sculpts : one.samples.flatMap((sample) => sample.sculpts);
  return [...new Set(sculpts.map(({ part }) => part))];
}

/** The things a control moves, by id. */
function movedBy(kind, one) {
  if (kind === 'reach') return new Set([...bench.reaches.chainOf(one).map(({ id }) => id), one.foot]);
  if (kind === 'corrective') return new Set([...one.bones, ...pulledBy(kind, one)]);
  const refs = channelsOf(kind, one).map((address) => parted(address)[0]);
  return new Set(kind === 'shape' ? [...refs, ...pulledBy(kind, one)] : refs);
}

function partName(ref) {
  return bench.page.figure.parts.find(({ id }) => id === ref).name;
}

/** What a control moves, in words. */
export function movesWords(kind, one) {
  if (kind === 'reach') return bench.reaches.chainOf(one).map(({ name }) => name).join(', '); // prettier-ignore
  const pulls = ['shape', 'corrective'].includes(kind) ? pulledBy(kind, one).map(partName) : [];
  const channels = kind === 'corrective' ? [] : [...new Set(channelsOf(kind, one))].map(channelWords);
  const words = [...channels, ...pulls];
  if (!words.length) return 'nothing yet';
  return words.length > 3 ? `${words.slice(0, 3).join(', ')} and ${words.length - 3} more` : words.join(', ');
}

/** The stores of the kinds of controls, by kind. */
function stores() {
  const { reaches, levers, shapes, correctives } = bench;
  return { reach: reaches, lever: levers, shape: shapes, corrective: correctives };
}

const WORDS = { reach: 'Reaches', lever: 'Levers', shape: 'Laid-on shapes', corrective: 'Correctives' };

export const slip = {
  sought: '',
  ofSelected: false,
  dragged: '', // the reach that is dragged to another place in the order
  over: '', // what the control under the pointer moves
  get count() {
    return Object.values(stores()).reduce((sum, { all }) => sum + all.length, 0);
  },
  /** The id of the control that is chosen, as a list of one or none. */
  get chosen() {
    return Object.values(stores())
      .map((store) => store.chosen)
      .filter(Boolean);
  },
  get groups() {
    return Object.entries(stores())
      .map(([key, { all, chosen }]) => ({ key, word: WORDS[key], rows: this.rowsOf(key, all, chosen) }))
      .filter(({ rows }) => rows.length);
  },
  rowsOf(kind, all, chosen) {
    const sought = this.sought.trim().toLowerCase();
    const selected = new Set([...bench.selection.bones, ...bench.selection.parts]);
    const posed = Object.keys(bench.posing.pose.channels);
    return all
      .filter(({ name }) => name.toLowerCase().includes(sought))
      .filter((one) => !this.ofSelected || [...movedBy(kind, one)].some((ref) => selected.has(ref)))
      .map((one) => ({
        id: one.id,
        kind,
        name: one.name,
        on: one.id === chosen,
        words: movesWords(kind, one),
        off: posed.some((address) => address.startsWith(`${one.id}.`) && !this.rests(address)),
      }));
  },
  rests(address) {
    return bench.posing.pose.channels[address] === bench.posing.quantity(parted(address)[1]).rest;
  },
  /** One control is chosen, of whatever kind, and the others are not; one that is `on` is let go. */
  choose({ kind, id, on = false }) {
    for (const [one, store] of Object.entries(stores())) store.chosen = one === kind && !on ? id : '';
    bench.sheet.redraw();
    const section = document.querySelector(`[data-control="${kind}"]`);
    if (!on) requestAnimationFrame(() => setTimeout(() => section.scrollIntoView({ block: 'nearest' }))); // when it is shown
  },
  /** A reach is dragged to where it shall be worked out: before the one it is dropped on. */
  take({ id, kind }) {
    this.dragged = kind === 'reach' ? id : '';
  },
  layBefore({ id, kind }) {
    const { dragged } = this;
    this.dragged = '';
    if (dragged && kind === 'reach' && dragged !== id)
      bench.history.edit({ kind: 'order_reach', reach: dragged, before: id });
  },
  /** All controls back to rest; bones stay as they are turned by themselves. */
  toRest() {
    const controls = new Set(Object.values(stores()).flatMap(({ all }) => all.map(({ id }) => id)));
    bench.posing.keepChannels((id) => !controls.has(id));
    if (bench.posing.posed) bench.posing.sendPose();
  },
};
