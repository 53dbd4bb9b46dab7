// Springs by what one wants to see, looked at before it is chosen.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';

export const wishes = {
  material: 'long ear',
  /** @type {Record<string, number | string>} */
  wish: { settles: '', overshoots: '', lags: '' },
  seen: null, // what the chain does on the standard swing
  tried: null, // what it would do
  of: '',
  get materials() {
    return Object.entries(bench.page.state ? bench.page.state.materials : {}).map(([name, word]) => ({ name, word }));
  },
  makeSpringy() {
    bench.history.edit({ kind: 'wish_spring', bone: bench.springs.bone, material: this.material });
  },
  /** What is wished, as numbers; an empty field says nothing. */
  get wished() {
    const number = (value, times) => (value === '' || value === null ? undefined : Number(value) / times);
    const { settles, overshoots, lags } = this.wish;
    const said = { settles: number(settles, 1), overshoots: number(overshoots, 100), lags: number(lags, 1) };
    return Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined));
  },
  grant() {
    bench.history.edit({ kind: 'wish_spring', bone: bench.springs.bone, ...this.wished });
  },
  /** What has to be asked for: the curve of the chosen chain as it is. */
  get wanted() {
    return bench.page.stageKey === 'follow' && bench.springs.one
      ? `${bench.page.state.seen}/${bench.springs.one.bones[0]}`
      : '';
  },
  async follow() {
    if (this.of === this.wanted) return;
    this.of = this.wanted;
    this.tried = null;
    const { wanted } = this;
    const made = bench.springs.one && bench.springs.one.wish;
    this.wish = {
      settles: made && made.settles !== null ? made.settles : '',
      overshoots: made && made.overshoots !== null ? Math.round(made.overshoots * 100) : '',
      lags: made && made.lags !== null ? made.lags : '',
    };
    const answer = wanted && (await fetchJson(`/bench/${bench.page.figureId}/spring-curve/${wanted}/`));
    if (this.of === wanted) this.seen = answer && answer.ok ? answer.data : null;
  },
  /** What a material, or what is wished, would look like, before it is chosen. */
  async look(asked) {
    const said = new URLSearchParams(asked);
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/spring-curve/${bench.page.state.seen}/${bench.springs.bone}/?${said}`,
    );
    if (answer.ok) this.tried = answer.data;
    else bench.page.warn(answer.data.sentence);
  },
  lookAt(material) {
    this.material = material;
    this.look({ material });
  },
  lookAtWish() {
    this.look(this.wished);
  },
  /** A curve as the points of an SVG line, 0 and 1 where it begins and rests. */
  line(found) {
    if (!found) return '';
    return found.curve.map((value, k) => `${(3 * k).toFixed(1)},${(70 - 40 * value).toFixed(1)}`).join(' ');
  },
  words(found) {
    if (!found) return '';
    const { settles, overshoots, lags } = found;
    return `settles in ${settles} frames, overshoots ${Math.round(overshoots * 100)} %, lags ${lags}`;
  },
  get seenLine() {
    return this.line(this.seen);
  },
  get triedLine() {
    return this.line(this.tried);
  },
  get seenWords() {
    return this.words(this.seen);
  },
  get triedWords() {
    return this.tried ? `Would: ${this.words(this.tried)}` : '';
  },
};
