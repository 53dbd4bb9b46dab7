// A film or numbered pictures under a motion, seen in step with it.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';

const AHEAD = 12; // pictures that are fetched before they are due
const KEPT = 240; // pictures that are kept as they are painted

export const film = {
  loading: false,
  get one() {
    return bench.motions.one ? bench.motions.one.film : null;
  },
  get words() {
    if (this.loading) return 'Taking it in …';
    if (!this.one) return 'None yet. It is shown under the work, and never delivered.';
    const { name, pictures, rate } = this.one;
    return `${name}, ${pictures} pictures, ${Math.round(rate * 10) / 10} a second`;
  },
  /** The number of the picture that is due on a frame; before the film begins none is. */
  due(frame) {
    const { one } = bench.motions;
    const number = Math.floor(((frame - this.one.begins) / one.rate) * this.one.rate + 1e-6);
    return number >= 0 && number < this.one.pictures ? number : null;
  },
  address(number) {
    return `/bench/${bench.page.figureId}/film/${bench.page.state.seen}/${bench.motions.one.id}/${number}.webp`;
  },
  keyOf(number) {
    return `${this.one.film}/${number}`;
  },
  /** What has to be there: the picture that is due. */
  get wanted() {
    if (!this.one || !bench.strip.shown) return '';
    const number = this.due(bench.strip.at);
    return number === null ? '' : this.keyOf(number);
  },
  /** Fetch the picture that is due, and some that come next. */
  async follow() {
    if (!this.wanted) {
      bench.sheet.redraw();
      return;
    }
    const first = this.due(bench.strip.at);
    for (let number = first; number < Math.min(first + AHEAD, this.one.pictures); number += 1) this.fetch(number);
    bench.sheet.redraw();
  },
  async fetch(number) {
    const key = this.keyOf(number);
    if (engine.stills.has(key)) return;
    engine.stills.set(key, null); // on its way
    const answer = await fetch(this.address(number));
    if (!answer.ok) {
      engine.stills.delete(key);
      return;
    }
    engine.stills.set(key, await createImageBitmap(await answer.blob()));
    for (const old of [...engine.stills.keys()].slice(0, Math.max(engine.stills.size - KEPT, 0)))
      engine.stills.delete(old);
    if (this.wanted === key) bench.sheet.redraw();
  },
  /** Where the picture that is due lies and how it looks, once it is there, as any picture to go by; null without. */
  shown() {
    const { wanted } = this;
    const bitmap = wanted ? engine.stills.get(wanted) : null;
    if (!bitmap) return null;
    const { place, scale, opacity, above } = this.one;
    return { picture: wanted, place, scale, opacity, above, loaded: { digest: wanted, bitmap } };
  },
  async choose(event) {
    const files = [...event.target.files];
    if (!files.length) return;
    const body = new FormData();
    for (const file of files) body.append('film', file);
    const motion = bench.motions.one.id;
    this.loading = true;
    const address = `/bench/${bench.page.figureId}/film/${bench.page.state.seen}/${motion}/`;
    const answer = await fetchJson(address, { method: 'POST', body });
    this.loading = false;
    event.target.value = '';
    if (answer.ok) bench.history.edit({ kind: 'set_film', motion, film: answer.data.film });
    else bench.page.warn(answer.data.sentence);
  },
  change(values) {
    bench.history.edit({ kind: 'set_film', motion: bench.motions.one.id, film: { ...this.one, ...values } });
  },
  get scale() {
    return Math.round(1000 * this.one.scale) / 1000;
  },
  setNumber(name, value) {
    this.change({ [name]: Number(value) });
  },
  turnOver() {
    this.change({ above: !this.one.above });
  },
  moveTo(axis, value) {
    const place = [...this.one.place];
    place[axis] = Number(value);
    this.change({ place });
  },
  takeAway() {
    bench.history.edit({ kind: 'set_film', motion: bench.motions.one.id });
  },
};
