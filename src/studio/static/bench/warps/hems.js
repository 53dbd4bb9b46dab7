// Hems: a skirt over two legs, laid, read over all their turns, tuned.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const STEPS = 13; // rows of the grid; behind them what it comes to
const WORST = 4000; // px² shown in the fullest colour
const SHARES = [
  ['own', 'Corners follow their own knee'],
  ['other', 'and the other one'],
  ['lead', 'and the one furthest to their side'],
  ['middle_own', 'The middle follows its own knee'],
  ['middle_other', 'and the other one'],
];

export const hems = {
  read: null, // { revision, hem, rows, told }
  before: null, // the same of the revision before
  busy: false,
  sentence: '',
  get all() {
    return bench.page.figure ? bench.page.figure.hems : [];
  },
  get one() {
    const parts = new Set(bench.selection.parts);
    return this.all.find((hem) => parts.has(hem.panel) || parts.has(hem.behind)) || this.all[0] || null;
  },
  /** The chosen panels, the front one first. */
  get panels() {
    const chosen = new Set(bench.selection.parts);
    return bench.page.figure
      ? bench.page.figure.parts
          .filter((part) => chosen.has(part.id))
          .map((part) => part.id)
          .reverse()
      : [];
  },
  get mayLay() {
    return [1, 2].includes(this.panels.length) && bench.selection.bones.length === 2;
  },
  get layWords() {
    if (!this.mayLay) return 'Choose a skirt or its two panels, and both thighs';
    return `Lay a hem over ${this.panels.map((id) => bench.page.partName(id)).join(' and ')}`;
  },
  lay() {
    const [panel, behind] = this.panels;
    const [near, far] = bench.selection.bones;
    bench.history.edit({ kind: 'lay_hem', panel, behind: behind || null, near, far });
  },
  get shares() {
    const now = this.read && this.read.told && this.read.revision === scene.revision ? this.read.told.shares : null;
    return now ? SHARES.map(([key, word]) => ({ key, word, id: `hem-${key}`, share: now[key] })) : [];
  },
  /** Where it breaks, and what the whole comes to. */
  get lines() {
    const told = this.read && this.read.told;
    return told ? [...told.sentences, ...told.facts] : [];
  },
  set(changes) {
    bench.history.edit({ kind: 'set_hem', hem: this.one.id, ...changes });
  },
  tune() {
    bench.history.edit({ kind: 'tune_hem', hem: this.one.id });
  },
  lift() {
    bench.history.edit({ kind: 'lift_hem', hem: this.one.id });
  },
  /** Read row by row as long as the figure stays and nobody stops it. */
  async readIt() {
    const { revision } = scene;
    const hem = this.one.id;
    if (this.read && this.read.told && this.read.revision !== revision) this.before = this.read;
    Object.assign(this, { busy: true, sentence: '', read: { revision, hem, rows: [], told: null } });
    for (let row = 0; row <= STEPS; row += 1) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/hem/${revision}/${hem}/${row}/`);
      if (!this.busy || revision !== scene.revision) break;
      if (!answer.ok) {
        this.sentence = answer.data.sentence;
        break;
      }
      if (row < STEPS) this.read.rows.push(answer.data);
      else this.read.told = answer.data;
    }
    this.busy = false;
  },
  stop() {
    this.busy = false;
  },
  get progress() {
    return this.read && this.busy ? `${this.read.rows.length} of ${STEPS} rows read` : this.sentence;
  },
  /** The cells of a reading, row by row, each with its colour, words and pose. */
  cellsOf(read) {
    if (!read) return [];
    return read.rows.flatMap((row, k) =>
      row.cells.map((cell, number) => {
        const bad = Math.min((cell.leg + cell.wedge) / WORST, 1);
        const tint = `rgb(179 38 30 / ${cell.folded ? 1 : 0.12 + 0.7 * bad})`;
        return {
          key: `${k}-${number}`,
          near: row.near,
          far: row.far[number],
          more: `thighs at ${row.near}° and ${row.far[number]}°: ${cell.leg} px² of leg, ${cell.wedge} px² of wedge${cell.folded ? `, ${cell.folded} triangles folded` : ''}`,
          style: bad || cell.folded ? { backgroundImage: `linear-gradient(${tint}, ${tint})` } : {},
        };
      }),
    );
  },
  /** Pose both thighs as in a cell. */
  show(cell) {
    const { near, far } = this.one;
    bench.posing.setChannels(near, { turn: cell.near });
    bench.posing.setChannels(far, { turn: cell.far });
    if (!bench.posing.posed) bench.posing.turnOver();
  },
};
