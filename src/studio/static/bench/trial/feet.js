// Feet: planted over some frames, and read for how they slide or sink.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';

export const feet = {
  asked: '', // the id of the reach to plant
  eases: '', // how it leaves the ground and lands, or nothing for as its keys do
  first: '',
  last: '',
  faults: null,
  read: 0, // the revision they were read of
  reading: false,
  /** What can be planted: reaches that take a foot along come first. */
  get choices() {
    const some = bench.page.figure ? bench.page.figure.reaches.filter(({ kind }) => kind === 'reach') : [];
    return [...some].sort((one, other) => Number(Boolean(other.foot)) - Number(Boolean(one.foot)));
  },
  get foot() {
    return this.choices.find(({ id }) => id === this.asked) || this.choices[0] || null;
  },
  /** The frames it is planted over: those given, else from the one worked on for half a second. */
  get span() {
    const first = this.first === '' ? bench.strip.frame : Number(this.first);
    const half = bench.motions.one ? Math.round(bench.motions.one.rate / 2) : 12;
    const last = this.last === '' ? Math.min(first + half, bench.strip.frames) : Number(this.last);
    return [first, last];
  },
  choose(id) {
    this.asked = id;
  },
  plant() {
    const [first, last] = this.span;
    bench.history.edit({
      kind: 'plant',
      motion: bench.motions.one.id,
      foot: this.foot.id,
      first,
      last,
      eases: this.eases || null,
    });
  },
  /** The whole figure is moved so that the tip of the chosen bone holds; for a foot that no reach poses. */
  hold() {
    const bone = bench.selection.oneBone;
    const [first, last] = this.span;
    if (bone) bench.history.edit({ kind: 'hold_foot', motion: bench.motions.one.id, bone: bone.id, first, last });
    else bench.page.warn('Choose the bone whose tip shall hold.');
  },
  async readThem() {
    this.reading = true;
    const { revision, seen } = bench.page.state;
    const address = `/bench/${bench.page.figureId}/motion-feet/${seen}/${bench.motions.one.id}/`;
    const answer = await fetchJson(address);
    this.reading = false;
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    this.faults = answer.data.faults;
    this.read = revision;
  },
  get words() {
    if (this.reading) return 'playing it through …';
    if (!this.faults || this.read !== bench.page.state.revision) return '';
    return this.faults.length ? '' : 'No sole slides or sinks.';
  },
  get rows() {
    const now = this.faults && this.read === bench.page.state.revision;
    return now ? this.faults.map((one, k) => ({ ...one, key: k })) : [];
  },
  look(row) {
    bench.selection.pickBone(row.bone);
    bench.strip.goTo(row.first);
  },
};
