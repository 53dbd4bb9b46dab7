// The rig proved: a standard course, the range sheet with its report, random poses.

import { bench } from '../page/bench.js';
import { clockOf } from '../page/page.js';
import { fetchJson } from '../page/api.js';

const WORST = 10;
const WORDS = { 'proof.html': 'The range sheet', 'shaken.json': 'Shaken', 'compared.html': 'Compared' };

export const proof = {
  /** @type {{ id: number, words: string }[]} */
  revisions: [], // of what this one came from, the newest first
  earlier: '',
  get jobs() {
    return bench.deliveries.jobs.filter(({ ending }) => ending in WORDS).slice(0, 4);
  },
  wordOf(job) {
    return WORDS[job.ending];
  },
  makeCourse() {
    bench.motions.known = new Set(bench.motions.all.map(({ id }) => id));
    bench.history.edit({ kind: 'make_course' });
  },
  prove() {
    bench.deliveries.order('proof.html');
  },
  shake() {
    bench.deliveries.order('shaken.json');
  },
  async loadRevisions() {
    const answer = await fetchJson(`/bench/${bench.page.figureId}/revisions/${bench.page.state.seen}/`);
    if (!answer.ok) return;
    this.revisions = answer.data.revisions.map(({ id, told, created }) => ({
      id,
      words: `${clockOf(created)} ${told}`,
    }));
    if (!this.revisions.some(({ id }) => String(id) === this.earlier))
      this.earlier = this.revisions.length ? String(this.revisions[0].id) : '';
  },
  /** What it was then and is now, over the motion that is chosen. */
  compare() {
    bench.deliveries.order('compared.html', { before: Number(this.earlier) });
  },
  mayKeep(job) {
    return job.ending === 'shaken.json' && Boolean(job.file);
  },
  /** The random poses that fail most are kept as poses, in one step. */
  async keepWorst(job) {
    const answer = await fetch(job.file);
    if (!answer.ok) {
      bench.page.warn('The report is not there any more; shake it again.');
      return;
    }
    const { cells } = await answer.json();
    const failing = cells.filter(({ kind, faults }) => kind === 'shake' && faults.length);
    const worst = failing.sort((one, other) => other.worst - one.worst).slice(0, WORST);
    if (worst.length)
      bench.history.edit({
        kind: 'keep_poses',
        poses: Object.fromEntries(worst.map(({ name, pose }) => [name, { channels: pose }])),
      });
    else bench.page.warn('None of these poses fails.');
  },
};
