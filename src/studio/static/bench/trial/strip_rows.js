// The rows of the strip: a channel each, those of one thing together, folded into one where a person wants that.

import { bench } from '../page/bench.js';
import { channelWords } from '../controls/drives.js';
import { parted } from '../page/address.js';

const SAME = 1e-6; // frames within which two keys lie on one

export const stripRows = {
  folded: [], // the ids of things whose channels are one row
  /** The tracks that show, those of one thing one after another, in the order in which they came. */
  get things() {
    const { one } = bench.motions;
    if (!one) return [];
    const { bones, parts } = bench.selection;
    const wanted = new Set([...bones, ...parts]);
    const found = new Map();
    for (const track of one.tracks) {
      const [id] = parted(track.channel);
      if (bench.strip.ofSelected && !wanted.has(id)) continue;
      if (!found.has(id)) found.set(id, []);
      found.get(id).push(track);
    }
    return [...found.entries()];
  },
  get rows() {
    return this.things.flatMap(([id, tracks]) => {
      if (tracks.length < 2) return tracks.map((track) => this.rowOf(track));
      const folded = this.folded.includes(id);
      return [this.headOf(id, tracks, folded), ...(folded ? [] : tracks.map((track) => this.rowOf(track)))];
    });
  },
  /** The row of a thing: its name, and where any of its channels has a key. */
  headOf(id, tracks, folded) {
    const words = channelWords(tracks[0].channel).split(': ')[0];
    const frames = [...new Set(tracks.flatMap(({ at }) => at))].sort((a, b) => a - b);
    const apart = frames.filter((frame, k) => !k || frame - frames[k - 1] > SAME);
    return {
      key: id,
      thing: id,
      words: `${folded ? '▸' : '▾'} ${words}`,
      keys: [],
      ticks: folded ? apart.map((frame) => ({ key: frame, place: bench.strip.placeOf(frame) })) : [],
    };
  },
  rowOf({ channel, at, ways, every }) {
    const words = channelWords(channel);
    return {
      key: channel,
      thing: '',
      words: every ? `${words}, every ${every}` : words,
      ticks: [],
      keys: at.map((frame, k) => ({
        key: `${channel}@${frame}`,
        frame,
        label: `${words}, key on frame ${Math.round(frame * 100) / 100}, ${Array.isArray(ways[k]) ? 'by handles' : ways[k]}`,
        on: bench.strip.chosen.includes(`${channel}@${frame}`),
        holds: ways[k] === 'hold',
        place: bench.strip.placeOf(frame),
      })),
    };
  },
  fold(row) {
    if (!row.thing) return;
    const without = this.folded.filter((id) => id !== row.thing);
    this.folded = without.length < this.folded.length ? without : [...this.folded, row.thing];
  },
  foldAll() {
    const all = this.things.filter(([, tracks]) => tracks.length > 1).map(([id]) => id);
    this.folded = this.folded.length < all.length ? all : [];
  },
};
