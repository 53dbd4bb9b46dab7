// Sound beside a motion, heard in step with it; drawings of a set placed by keys while one listens.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';

const FAR = 0.2; // s from where it is due that a sound is brought back
const HEARD = 2; // frames that are heard while scrubbing

export const sound = {
  audio: null,
  of: '',
  peaks: [],
  group: '',
  timer: 0,
  get one() {
    return bench.motions.one ? bench.motions.one.sound : null;
  },
  get words() {
    return this.one ? `${this.one.name}, ${Math.round(10 * this.one.seconds) / 10} s` : 'No sound yet.';
  },
  /** Sets of drawings that can be placed; mouths come first. */
  get sets() {
    const some = bench.page.figure
      ? bench.page.figure.groups.filter(({ drawings }) => drawings && drawings.length)
      : [];
    const spoken = ({ name }) => Number(/mouth|beak|lip/i.test(name));
    return [...some].sort((one, other) => spoken(other) - spoken(one));
  },
  get set() {
    return this.sets.find(({ id }) => id === this.group) || this.sets[0] || null;
  },
  get drawings() {
    if (!this.set) return [];
    const { parts, groups } = bench.page.figure;
    const nameOf = (id) => ([...parts, ...groups].find((one) => one.id === id) || { name: id }).name;
    return this.set.drawings.map(({ of }, k) => ({ key: of, number: k + 1, word: `${k + 1} ${nameOf(of)}` }));
  },
  get wanted() {
    const { one } = bench.motions;
    return this.one && bench.strip.shown ? `${bench.page.state.seen}/${one.id}/${this.one.sound}` : '';
  },
  async follow() {
    const { wanted } = this;
    if (wanted === this.of) return;
    this.of = wanted;
    this.audio = null;
    this.peaks = [];
    if (!wanted) return;
    const [seen, motion] = wanted.split('/');
    const address = `/bench/${bench.page.figureId}/motion-sound/${seen}/${motion}/`;
    const answer = await fetchJson(`${address}?peaks=1`);
    if (!answer.ok || this.of !== wanted) return;
    this.peaks = answer.data.peaks;
    this.draw();
    // all of it at once, so that it can be heard from anywhere
    const whole = await fetch(address);
    if (!whole.ok || this.of !== wanted) return;
    this.audio = new Audio(URL.createObjectURL(await whole.blob()));
    this.audio.preload = 'auto';
  },
  draw() {
    const canvas = document.querySelector('.times canvas.wave');
    if (!(canvas instanceof HTMLCanvasElement) || !this.peaks.length) return;
    const { width, height } = canvas.getBoundingClientRect();
    [canvas.width, canvas.height] = [width, height];
    const context = canvas.getContext('2d');
    context.fillStyle = '#5B6472';
    const step = width / this.peaks.length;
    this.peaks.forEach((loud, k) => {
      const high = Math.max(loud * height, 1);
      context.fillRect(k * step, (height - high) / 2, Math.max(step, 0.6), high);
    });
  },
  async choose(event) {
    const [file] = event.target.files;
    if (!file) return;
    const body = new FormData();
    body.append('sound', file);
    const answer = await fetchJson(`/bench/${bench.page.figureId}/sound/`, { method: 'POST', body });
    event.target.value = '';
    if (answer.ok) bench.history.edit({ kind: 'set_sound', motion: bench.motions.one.id, sound: answer.data.sound });
    else bench.page.warn(answer.data.sentence);
  },
  takeAway() {
    bench.history.edit({ kind: 'set_sound', motion: bench.motions.one.id });
  },
  /** Where in the sound a frame lies, s; before its beginning below 0. */
  secondsAt(frame) {
    return (frame - this.one.begins) / bench.motions.one.rate;
  },
  /** Playing comes to a frame (with parts of one): the one that is heard there, which is shown instead. A sound that is
   * far from it, after a round or a pause, is brought to it. */
  keepStep(frame) {
    if (!this.audio || !this.one || bench.playing.motionName !== bench.motions.one.name || bench.playing.speed !== 1)
      return frame;
    const due = this.secondsAt(frame);
    if (due < 0 || due >= this.one.seconds) {
      this.audio.pause();
      return frame;
    }
    const off = this.audio.currentTime - due;
    if (!this.audio.paused && Math.abs(off) < FAR) return frame + off * bench.motions.one.rate;
    this.audio.currentTime = due;
    this.audio.play().catch(() => {});
    return frame;
  },
  /** What is heard on one frame, while scrubbing. */
  hear(frame) {
    if (!this.audio || !this.one || bench.playing.playing) return;
    const due = this.secondsAt(frame);
    if (due < 0 || due >= this.one.seconds) return;
    this.audio.currentTime = due;
    this.audio.play().catch(() => {});
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.audio && this.audio.pause(), (1000 * HEARD) / bench.motions.one.rate);
  },
  stop() {
    if (this.audio) this.audio.pause();
  },
  /** A drawing for what is heard now. */
  place(number) {
    if (!this.set || !bench.motions.one || number > this.set.drawings.length) return false;
    const at = Math.min(bench.strip.at, bench.strip.frames);
    bench.history.edit({
      kind: 'place_drawing',
      motion: bench.motions.one.id,
      group: this.set.id,
      drawing: number,
      at,
    });
    return true;
  },
};
