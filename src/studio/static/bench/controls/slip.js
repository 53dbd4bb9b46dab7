// The slip of controls: all of a figure in groups, searched, those off rest marked.

import { bench } from '../page/bench.js';
import { channelWords } from './drives.js';

/** The things a control moves, by id. */
function movedBy(kind, one) {
  if (kind === 'reach') return new Set([...bench.reaches.chainOf(one).map(({ id }) => id), one.foot]);
  const channels = [one.x, one.y].filter(Boolean).flatMap((axis) => axis.drives.map(({ channel }) => channel));
  return new Set(channels.map((address) => address.slice(0, address.indexOf('.'))));
}

/** What a control moves, in words. */
export function movesWords(kind, one) {
  if (kind === 'reach') return bench.reaches.chainOf(one).map(({ name }) => name).join(', '); // prettier-ignore
  const channels = [one.x, one.y].filter(Boolean).flatMap((axis) => axis.drives.map(({ channel }) => channel));
  const words = [...new Set(channels)].map(channelWords);
  if (!words.length) return 'nothing yet';
  return words.length > 3 ? `${words.slice(0, 3).join(', ')} and ${words.length - 3} more` : words.join(', ');
}

export const slip = {
  sought: '',
  ofSelected: false,
  over: '', // what the control under the pointer moves
  get count() {
    return bench.reaches.all.length + bench.levers.all.length;
  },
  get groups() {
    const some = [
      { key: 'reach', word: 'Reaches', all: bench.reaches.all, chosen: bench.reaches.chosen },
      { key: 'lever', word: 'Levers', all: bench.levers.all, chosen: bench.levers.chosen },
    ];
    return some
      .map(({ key, word, all, chosen }) => ({ key, word, rows: this.rowsOf(key, all, chosen) }))
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
    const dot = address.indexOf('.');
    return bench.posing.pose.channels[address] === bench.posing.quantity(address.slice(dot + 1)).rest;
  },
  choose(row) {
    if (row.kind === 'reach') bench.reaches.choose(row.id);
    else bench.levers.choose(row.id);
  },
  /** All controls back to rest; bones stay as they are turned by themselves. */
  toRest() {
    const controls = new Set([...bench.reaches.all, ...bench.levers.all].map(({ id }) => id));
    bench.posing.keepChannels((id) => !controls.has(id));
    if (bench.posing.posed) bench.posing.sendPose();
  },
};
