// The rig proved: a standard course, the range sheet with its report, random poses.

import { bench } from '../page/bench.js';

const WORST = 10;
const ENDINGS = ['proof.html', 'shaken.json'];

export const proof = {
  get jobs() {
    return bench.deliveries.jobs.filter(({ ending }) => ENDINGS.includes(ending)).slice(0, 4);
  },
  wordOf(job) {
    return job.ending === 'proof.html' ? 'The range sheet' : 'Shaken';
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
