// Playing motions.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene } from '../page/scene.js';

export const playing = {
  motionAsked: 'test swing',
  playing: false,
  frameNumber: 0,
  keptOf: '',
  speed: 1,
  first: '',
  last: '',
  toAndFro: false,
  get frameWords() {
    return this.playing ? `frame ${this.frameNumber + 1} of ${this.motionFrames}` : '';
  },
  /** What the figure can be played through: the test swing, and into each kept pose. */
  get motions() {
    return bench.page.state ? bench.page.state.motions : [];
  },
  get motionName() {
    return this.motions.some((one) => one.name === this.motionAsked) ? this.motionAsked : 'test swing';
  },
  get motionFrames() {
    return this.motion ? this.motion.frames : 0;
  },
  get motion() {
    return this.motions.find((one) => one.name === this.motionName) || null;
  },
  /** A motion of the figure's own, which is played round and round where it is a loop. */
  get own() {
    return (bench.page.figure && bench.page.figure.motions.find(({ name }) => name === this.motionName)) || null;
  },
  get motionWords() {
    if (!bench.page.state) return '';
    const { frames, rate, about } = this.motion;
    const own = this.own ? 'A motion of the figure’s own' : 'From rest into the kept pose, held there, and back';
    const kept = about || own;
    const what =
      this.motionName === 'test swing' ? 'Turns what springs hang on left and right, then holds still' : kept;
    return `${what}: ${Math.round((10 * frames) / rate) / 10} s at ${rate} frames per second.`;
  },
  /** What frames are kept for: a motion of what shows. */
  get keptKey() {
    return `${this.motionName} of ${bench.page.state ? bench.page.state.seen : ''}`;
  },
  /** A frame that was played before and still holds, springs and all. */
  keptFrame(number) {
    return (this.keptOf === this.keptKey && engine.keptFrames && engine.keptFrames[number]) || null;
  },
  chooseMotion(name) {
    this.stopSwing();
    this.motionAsked = name;
  },
  playSwing() {
    if (this.playing) {
      this.stopSwing();
      return;
    }
    if (!bench.posing.posed) bench.posing.posed = true;
    this.playing = true;
    this.frameNumber = 0;
    const kept = this.keptOf === this.keptKey ? engine.keptFrames : null;
    const whole = kept && kept.filter(Boolean).length >= this.motionFrames;
    if (!whole) [this.keptOf, engine.keptFrames] = [this.keptKey, []];
    engine.swing = {
      // frames that are all there are shown again; else the server plays it
      serial: whole ? 0 : engine.live.send({ seen: scene.revision, swing: true, motion: this.motionName }),
      frames: engine.keptFrames,
      shown: -1,
      clock: 0,
      last: performance.now(),
    };
    requestAnimationFrame((now) => this.tick(now));
  },
  tick(now) {
    const swing = engine.swing;
    if (!this.playing || !swing) return;
    swing.clock += ((now - swing.last) / 1000) * this.speed * this.motion.rate;
    swing.last = now;
    if (this.toAndFro) bench.sound.stop();
    else if (this.wantedAt(swing) !== null) swing.clock = bench.sound.keepStep(swing.clock);
    const wanted = this.wantedAt(swing);
    if (wanted === null) {
      this.stopSwing();
      return;
    }
    if (wanted !== swing.shown && swing.frames[wanted]) {
      swing.shown = wanted;
      this.frameNumber = wanted;
      bench.sheet.showFrame(swing.frames[wanted]);
    } else if (!swing.frames[wanted]) swing.clock = Math.max(swing.shown, 0);
    requestAnimationFrame((next) => this.tick(next));
  },
  /** The frames that are played: all, or from one to another of a motion of one's own. */
  get span() {
    const end = this.motionFrames - 1;
    const [low, high] = [Number(this.first) || 0, this.last === '' ? end : Math.min(Number(this.last), end)];
    return this.own && low < high ? [low, high] : [0, end];
  },
  /** The frame that shows by the clock, round and round or to and fro where that is wanted; null at the end. */
  wantedAt(swing) {
    const [first, last] = this.span;
    if (swing.clock < first) swing.clock = first;
    const count = last - first + 1;
    const inside = first > 0 || last < this.motionFrames - 1;
    const there = swing.frames.length > last; // until then the last one is waited for, however late the clock
    const again = there && this.own && (this.own.loop || this.toAndFro || inside);
    const round = this.toAndFro ? 2 * count - 2 : count;
    if (again && swing.clock - first >= round) swing.clock = first + ((swing.clock - first) % round);
    const gone = Math.floor(swing.clock) - first;
    if (this.toAndFro && this.own && gone >= count) return there ? last - (gone - count + 1) : last;
    return gone < count ? first + gone : again || !there ? last : null;
  },
  stopSwing() {
    if (!this.playing) return;
    this.playing = false;
    bench.sound.stop();
    engine.swing = null;
    if (bench.posing.posed) bench.posing.sendPose();
    else bench.sheet.showRest();
  },
};
