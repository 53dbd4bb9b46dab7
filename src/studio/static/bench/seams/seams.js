// Seams read through their range.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const KINDS = [
  ['ink_length', 'Line across, px'],
  ['gap_disc', 'Gap, px'],
  ['outline_step', 'Step of the line, px'],
  ['notch', 'Notch, px'],
  ['beyond', 'Beyond one limb, px'],
  ['short', 'Short of one limb, px'],
  ['corner', 'Corner outside the bend, °'],
];

const PLOT = { width: 236, height: 64 };

const CORNER = 20;

const BLENDED = 'blend_cover';

const LET_BE = 1500;

export const seams = {
  seamsRead: {},
  seamJoints: [],
  seamsOf: '',
  seamsHalted: false,
  get seamWords() {
    if (!bench.selection.oneBone || !bench.selection.oneBone.parent) return 'Nothing meets at a root bone.';
    if (!this.seamNow)
      return this.seamJoints.includes(bench.selection.oneBone.id) ? 'being read …' : 'No two parts meet here.';
    const meet = `the parts of ${bench.page.boneName(bench.selection.oneBone.parent)} and ${bench.selection.oneBone.name}`;
    if (this.seamNow.treated) return `Where ${meet} meet lies a ${this.seamNow.treated}.`;
    return this.seamNow.limb
      ? `Where ${meet} meet, the line across shows.`
      : `Here ${meet} lie one on the other; their line belongs there.`;
  },
  get seamRows() {
    return Object.values(this.seamsRead)
      .sort((a, b) => b.cost - a.cost || b.limb - a.limb)
      .map((one) => ({
        id: one.bone,
        name: bench.page.boneName(one.bone),
        colour: bench.page.state.colours[one.bone],
        chosen: bench.selection.bones[0] === one.bone,
        word: one.misses.length
          ? `${one.misses[0].what} of ${one.misses[0].value.toFixed(1)} px at ${Math.round(one.misses[0].angle)}°`
          : one.limb
            ? 'hidden throughout'
            : 'one lies over the other: its line is meant to show',
        bad: one.misses.length > 0,
        spark: this.spark(one),
      }));
  },
  get seamProgress() {
    const read = Object.keys(this.seamsRead).length;
    if (!this.seamJoints.length) return '';
    const open = this.seamRows.filter((row) => row.bad).length;
    if (this.seamsHalted && read < this.seamJoints.length)
      return `${read} of ${this.seamJoints.length} joints read; stopped`;
    return read < this.seamJoints.length
      ? `${read} of ${this.seamJoints.length} joints read …`
      : `${read} joints read, ${open} beyond what is tolerated`;
  },
  /** A joint's line across over its range as a small strip, up to five times what is tolerated. */
  spark({ readings, limb }) {
    const most = 5 * bench.page.figure.tolerances.ink;
    const value = (one) => (limb ? Math.max(one.ink_length - one.corner_length, one.gap_disc) : one.void_disc);
    return readings
      .map(
        (one, k) =>
          `${k ? 'L' : 'M'}${((k / Math.max(readings.length - 1, 1)) * 60).toFixed(1)} ${(13 - (Math.min(value(one), most) / most) * 12).toFixed(1)}`,
      )
      .join('');
  },
  get toleranceRows() {
    if (!bench.page.figure) return [];
    const words = {
      gap: 'Gap, px',
      ink: 'Line across, px',
      step: 'Step, of the line',
      notch: 'Notch, of half the width',
      jump: 'Jump to one piece, px',
      shape: 'Silhouette, of half the width',
    };
    return Object.entries(words).map(([key, word]) => ({
      key,
      word,
      id: `tolerance-${key}`,
      value: bench.page.figure.tolerances[key],
    }));
  },
  get seamBefore() {
    if (!this.seamNow || !this.seamNow.before) return '';
    const { before } = this.seamNow;
    return before.misses.length
      ? `Before the last change: ${before.misses[0].sentence}`
      : 'Before the last change nothing showed.';
  },
  get seamNow() {
    return bench.selection.oneBone ? this.seamsRead[bench.selection.oneBone.id] || null : null;
  },
  get seamPlots() {
    if (!this.seamNow) return [];
    const { readings, before } = this.seamNow;
    const [low, high] = [readings[0].angle, readings[readings.length - 1].angle];
    return KINDS.map(([key, word]) => {
      const most = Math.max(...readings.map((one) => one[key]));
      const earlier = before ? before.readings : [];
      const top = Math.max(most, 1, ...earlier.map((one) => one[key]));
      const at = (one) =>
        `${(((one.angle - low) / Math.max(high - low, 1)) * PLOT.width).toFixed(1)} ${(PLOT.height - 4 - (one[key] / top) * (PLOT.height - 10)).toFixed(1)}`;
      const here = bench.liveSeam.seamAt ? `M${at({ ...bench.liveSeam.seamAt.reading, [key]: 0 })}V4` : '';
      return {
        key,
        here,
        word: `${word}: ${most.toFixed(1)} at most${bench.liveSeam.seamAt ? `, ${bench.liveSeam.seamAt.reading[key].toFixed(1)} now` : ''}`,
        path: `M${readings.map(at).join('L')}`,
        before: earlier.length ? `M${earlier.map(at).join('L')}` : '',
        label: `${word} from ${Math.round(low)}° to ${Math.round(high)}°, ${most.toFixed(1)} at most`,
      };
    });
  },
  get seamKept() {
    if (!this.seamNow) return '';
    const worst = (key) => this.seamNow.readings.reduce((least, one) => (one[key] < least[key] ? one : least));
    const [width, area] = [worst('width_kept'), worst('area_kept')];
    const folded = this.seamNow.readings.reduce((most, one) => (one.folded > most.folded ? one : most));
    const turned = folded.folded
      ? `${folded.folded} triangles folded over at ${Math.round(folded.angle)}°`
      : 'nothing folds over';
    const sharpest = this.seamNow.readings.reduce((most, one) => (one.corner > most.corner ? one : most));
    const corner =
      sharpest.corner > CORNER
        ? ` Outside the bend the outline has a corner of ${Math.round(sharpest.corner)}° (${Math.round(sharpest.angle)}°)${bench.trying.tried && bench.trying.tried.trials.some((one) => one.way === BLENDED) ? '; with the widths blended it goes' : ''}.`
        : '';
    return `At least ${Math.round(width.width_kept * 100)} % of the width (${Math.round(width.angle)}°) and ${Math.round(area.area_kept * 100)} % of the area (${Math.round(area.angle)}°) kept; ${turned}.${corner}`;
  },
  get seamSentences() {
    return this.seamNow
      ? this.seamNow.misses.map((miss, key) => ({
          key,
          text: `${miss.sentence}, ${miss.times.toFixed(1)} times what is tolerated`,
        }))
      : [];
  },
  get seamsBusy() {
    return !this.seamsHalted && Boolean(this.seamsOf) && Object.keys(this.seamsRead).length < this.seamJoints.length;
  },
  haltSeams() {
    this.seamsHalted = true;
  },
  goOnSeams() {
    this.seamsHalted = false;
    this.seamsOf = '';
    this.loadSeams();
  },
  /** Read every seam, one after another, as long as the stage and the figure stay. */
  async loadSeams() {
    const { revision } = scene;
    if (bench.page.stageKey !== 'seams' || this.seamsOf === revision) return;
    this.seamsOf = revision;
    const answer = await fetchJson(`/bench/${bench.page.figureId}/seams/${revision}/`);
    this.seamJoints = answer.ok ? answer.data.bones : [];
    this.seamsRead = answer.ok ? answer.data.read : {};
    bench.trying.loadTried();
    const first = bench.selection.bones[0];
    const chosen = [...this.seamJoints].filter((id) => id === first);
    const order = [...chosen, ...this.seamJoints.filter((id) => !this.seamsRead[id])];
    for (const id of order) {
      if (bench.page.stageKey !== 'seams' || scene.revision !== revision) {
        this.seamsOf = '';
        return;
      }
      if (this.seamsHalted) return;
      while (bench.liveSeam.seamWatched && performance.now() - bench.liveSeam.seamLiveAt < LET_BE)
        await new Promise((done) => setTimeout(done, LET_BE / 4));
      const one = await fetchJson(`/bench/${bench.page.figureId}/seam/${revision}/${id}/`);
      if (scene.revision !== revision) {
        this.seamsOf = '';
        this.loadSeams();
        return;
      }
      if (one.ok) this.seamsRead = { ...this.seamsRead, [id]: one.data };
    }
    bench.findings.loadFindings(revision);
  },
  setTolerance(name, value) {
    if (value !== '')
      bench.history.edit({
        kind: 'set_tolerances',
        tolerances: { ...bench.page.figure.tolerances, [name]: Number(value) },
      });
  },
};
