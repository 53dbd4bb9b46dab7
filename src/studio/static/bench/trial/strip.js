// The time strip: frames from left to right, a row for each channel with keys, the frame that is worked on.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { engine } from '../page/engine.js';

const ROOM = 46; // frame numbers under the strip at the most, so that they can be read
const STEPS = [1, 2, 4, 6, 12, 24, 48, 120, 240, 480, 1200, 2400, 4800];

export const strip = {
  frame: 0,
  chosen: [], // keys, as "channel@frame"
  ofSelected: false,
  scrubbing: false,
  asked: 0,
  poses: {}, // of frames gone to before, as long as they hold
  posesOf: '',
  get shown() {
    return bench.page.stageKey === 'trial';
  },
  get frames() {
    return bench.motions.one ? bench.motions.one.frames : 1;
  },
  /** The frame that shows: of what plays, or the one worked on. */
  get at() {
    return bench.playing.playing ? bench.playing.frameNumber : this.frame;
  },
  placeOf(frame) {
    return { left: `${(100 * frame) / this.frames}%` };
  },
  get headPlace() {
    return this.placeOf(Math.min(this.at, this.frames));
  },
  get frameWords() {
    return `frame ${this.at} of ${this.frames}`;
  },
  get ticks() {
    const step = STEPS.find((one) => this.frames / one <= ROOM / 2) || STEPS.at(-1);
    const count = Math.floor(this.frames / step) + 1;
    return Array.from({ length: count }, (_, k) => ({ key: k * step, place: this.placeOf(k * step) }));
  },
  /** How far frames are kept, as played: a bar along the ruler. */
  get readyStyle() {
    void bench.playing.frameNumber;
    const kept = bench.playing.keptOf === bench.playing.keptKey && engine.keptFrames ? engine.keptFrames.length : 0;
    return { width: `${(100 * Math.min(kept, this.frames)) / this.frames}%` };
  },
  get marks() {
    const { one } = bench.motions;
    if (!one) return [];
    // where feet come down there are many: a tick each, told under the pointer
    return one.marks.map(({ at, words }) => ({
      key: at,
      words,
      down: words.endsWith(' down'),
      title: `${words}, frame ${Math.round(at * 10) / 10}`,
      place: this.placeOf(at),
    }));
  },
  get rows() {
    return bench.stripRows.rows;
  },
  /** The frame under the pointer. */
  frameUnder(event) {
    const box = document.querySelector('.times .frames').getBoundingClientRect();
    const share = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1);
    return Math.round(share * this.frames);
  },
  press(event) {
    this.scrubbing = true;
    event.target.setPointerCapture(event.pointerId);
    this.goTo(this.frameUnder(event));
  },
  drag(event) {
    if (this.scrubbing && this.frameUnder(event) !== this.frame) this.goTo(this.frameUnder(event));
  },
  release() {
    this.scrubbing = false;
  },
  step(by) {
    this.goTo(this.frame + by);
  },
  /** Work on a frame: the sheet shows the pose that the motion has there. */
  async goTo(frame) {
    bench.playing.stopSwing();
    this.frame = Math.min(Math.max(Math.round(frame), 0), this.frames);
    const { one } = bench.motions;
    if (!one) return;
    bench.sound.hear(this.frame);
    this.asked += 1;
    const mine = this.asked;
    const before = bench.posing.pose.channels;
    const kept = bench.playing.motionName === one.name ? bench.playing.keptFrame(this.frame) : null;
    const known = this.posesOf === bench.playing.keptKey ? this.poses[this.frame] : null;
    if (known) {
      bench.keying.show(known, before, kept);
      return;
    }
    if (kept) bench.sheet.showFrame(kept);
    const address = `/bench/${bench.page.figureId}/motion-pose/${bench.page.state.seen}/${one.id}/?frame=${this.frame}`;
    const answer = await fetchJson(address);
    if (mine !== this.asked || !this.shown) return; // another frame is gone to by now
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    if (this.posesOf !== bench.playing.keptKey) [this.posesOf, this.poses] = [bench.playing.keptKey, {}];
    this.poses[this.frame] = answer.data.pose;
    bench.keying.show(answer.data.pose, before, kept);
  },
};
