// The facings of the figure: which one is looked at, and turning to another without a flash.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { meant, seenAs } from './telling.js';

const LONGEST = 1500; // ms that the old picture stays while the new one is made ready
const states = new Map(); // of the revision at hand, by facing

export const facings = {
  wanted: 0, // the one that is looked at; 0 the first
  before: null, // what was told of the one that the pose on the sheet is told on
  get told() {
    return bench.page.state ? bench.page.state.facings : null;
  },
  get shown() {
    return this.told ? this.told.shown : 0;
  },
  get mirrored() {
    return Boolean(this.told && this.told.mirrored);
  },
  get one() {
    return this.told ? this.told.facings.find(({ number }) => number === this.shown) : null;
  },
  /** All of them round the figure, from the one that looks furthest to the left. */
  get rows() {
    if (!this.told) return [];
    const { facings, first, shown } = this.told;
    return facings
      .map(({ number, name, angle, mirrors }) => ({
        number,
        name,
        on: number === shown,
        mirrors,
        angle,
        words: mirrors ? `${angle}°, mirrored` : `${angle}°`,
        picture: `/bench/${bench.page.figureId}/facing/${bench.page.state.revision}${number === first ? '' : `.${number}`}.png`,
      }))
      .sort((one, other) => one.angle - other.angle);
  },
  get mayLift() {
    return Boolean(this.told) && this.shown !== this.told.first;
  },
  /** An edit as it is made on the facing shown. */
  of(edit) {
    const wrapped = this.mayLift && edit.kind !== 'in_facing';
    return wrapped ? { kind: 'in_facing', facing: this.shown, edit } : edit;
  },
  /** The pose on the sheet, or the rest, with the facing it is looked at from, for what keeps or delivers it. */
  poseOf(posed) {
    const channels = posed ? { ...bench.posing.pose.channels } : {};
    if (!this.told) return { channels };
    const as = meant(channels, this.told, bench.page.state.quantities);
    return { channels: this.mayLift ? { ...as, [this.told.address]: this.shown } : as };
  },
  /** Whether a state is of a facing that is looked at no more. */
  passedBy({ facings: told }) {
    if (!told || told.shown === (this.wanted || told.first)) return false;
    if (told.facings.some(({ number }) => number === this.wanted)) return true;
    this.wanted = 0; // it was taken away
    return false;
  },
  /** The next one round the figure, to the right or to the left. */
  step(by) {
    const { rows } = this;
    const at = rows.findIndex(({ on }) => on);
    if (rows.length > 1) this.turnTo(rows[(at + by + rows.length) % rows.length].number);
  },
  /** Look from another side; what is seen stays until all of the new picture is there. */
  async turnTo(number) {
    if (!this.told || number === this.shown) return;
    this.wanted = number;
    const state = await this.stateOf(number);
    const geometry = state && (await bench.opening.geometryOf(state));
    if (!geometry) return;
    const pictures = engine.stage.loadPictures(() => {}, state.items);
    const [frame] = await Promise.all([bench.posing.posed ? this.frameOf(state) : null, pictures]);
    if (this.wanted !== number) return;
    bench.opening.show(state, geometry, frame); // first the picture, then what the page says of it
    requestAnimationFrame(() => setTimeout(() => this.wanted === number && bench.opening.take(state)));
  },
  /** The pose on the sheet, as it is told on one facing, as it is seen on another. */
  over(from, to) {
    const { quantities } = bench.page.state;
    return seenAs(meant(bench.posing.pose.channels, from, quantities), to, quantities);
  },
  /** The picture of the pose as it is seen from another side; null where that takes too long. */
  frameOf(state) {
    const pose = { channels: this.over(this.told, state.facings) };
    return new Promise((come) => {
      engine.awaited = { seen: state.seen, come };
      engine.live.send({ seen: state.seen, pose: JSON.parse(JSON.stringify(pose)) });
      setTimeout(() => come(null), LONGEST);
    });
  },
  async stateOf(number) {
    const key = `${bench.page.state.revision}.${number}`;
    if (!states.has(key)) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/state/?facing=${number}`);
      if (!answer.ok) {
        bench.page.warn(answer.data.sentence);
        return null;
      }
      if (answer.data.revision !== bench.page.state.revision) return answer.data;
      states.set(key, answer.data);
    }
    return states.get(key);
  },
  /** Have all facings at hand, so that turning takes no time. */
  async ready() {
    if (!this.told) return;
    const { revision } = bench.page.state;
    for (const { number } of this.told.facings) {
      if (bench.page.state.revision !== revision) return;
      const state = await this.stateOf(number); // one after the other: nothing else shall wait for them
      if (!state) return;
      await bench.opening.geometryOf(state);
      await engine.stage.loadPictures(() => {}, state.items);
    }
  },
  taken() {
    for (const key of states.keys()) if (!key.startsWith(`${bench.page.state.revision}.`)) states.delete(key);
    engine.queue.facing = this.shown;
    this.wanted = this.mayLift ? this.shown : 0;
    engine.mirrored = this.mirrored;
    if (this.before && this.told && this.before.shown !== this.shown) {
      bench.posing.pose = { channels: this.over(this.before, this.told) };
    }
    this.before = JSON.parse(JSON.stringify(this.told)); // the state is merged in place
    if (bench.sheet.mirrored !== engine.camera.mirrored) bench.sheet.resize();
  },
};
