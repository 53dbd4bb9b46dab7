// Keys copied and pasted, stretched, shifted and set on clocks of their own; words on frames.

import { bench } from '../page/bench.js';

export const clips = {
  copied: [], // keys: channel, frame, value, way
  stretch: 100, // %
  mark: '',
  get mayPaste() {
    return this.copied.length > 0 && Boolean(bench.motions.one);
  },
  get markHere() {
    const { one } = bench.motions;
    const found = one && one.marks.find(({ at }) => Math.abs(at - bench.strip.frame) < 0.5);
    return found ? found.words : '';
  },
  get ownLoop() {
    const { one } = bench.motions;
    const channels = new Set(bench.keying.chosenKeys.map(({ channel }) => channel));
    const track = one && one.tracks.find(({ channel }) => channels.has(channel));
    return track && track.every ? track.every : '';
  },
  copy() {
    const { one } = bench.motions;
    const chosen = new Set(bench.strip.chosen);
    this.copied = one.tracks.flatMap(({ channel, at, values, ways }) =>
      at
        .map((frame, k) => [channel, frame, values[k], ways[k]])
        .filter(([, frame]) => chosen.has(`${channel}@${frame}`)),
    );
  },
  paste(more = {}) {
    const { frame } = bench.strip;
    bench.history.edit({ kind: 'paste_keys', motion: bench.motions.one.id, at: frame, keys: this.copied, ...more });
  },
  pasteMirrored() {
    this.paste({ other_side: true });
  },
  pasteOnto() {
    const bone = bench.selection.oneBone;
    if (bone) this.paste({ onto: bone.id });
    else bench.page.warn('Choose the first bone of the limb that shall do the same.');
  },
  /** All keys from the frame worked on go so many frames later. */
  later(by) {
    bench.history.edit({ kind: 'move_keys', motion: bench.motions.one.id, first: bench.strip.frame, by });
  },
  stretchThem() {
    bench.keying.forChosen('move_keys', { times: Number(this.stretch) / 100 });
    bench.strip.chosen = [];
  },
  goRound(frames) {
    const channels = [...new Set(bench.keying.chosenKeys.map(({ channel }) => channel))];
    const said = frames === '' ? {} : { frames: Number(frames) };
    bench.history.edit({ kind: 'loop_keys', motion: bench.motions.one.id, channels, ...said });
  },
  setMark(words) {
    bench.history.edit({ kind: 'set_mark', motion: bench.motions.one.id, at: bench.strip.frame, words });
  },
};
