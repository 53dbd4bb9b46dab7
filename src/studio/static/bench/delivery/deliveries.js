// Deliveries.

import { bench } from '../page/bench.js';
import { fetchJson, post } from '../page/api.js';

const DELIVERIES = [
  { ending: 'png', word: 'This pose', button: 'PNG' },
  { ending: 'webm', word: 'The motion, video with alpha', button: 'WebM' },
  { ending: 'webp', word: 'The motion, animated picture', button: 'WebP' },
  { ending: 'apng', word: 'The same, sharper and larger', button: 'APNG' },
  { ending: 'frames.zip', word: 'The motion, numbered pictures', button: 'PNGs' },
  { ending: 'contact.png', word: 'The motion, frames side by side', button: 'PNG' },
  { ending: 'show.html', word: 'Show page, plays in a browser', button: 'HTML' },
  { ending: 'glb', word: 'Bones, weights and the motion', button: 'glTF' },
  { ending: 'ora', word: 'Sheet as layers, in this pose', button: 'OpenRaster' },
  { ending: 'findings.ora', word: 'Sheet with a layer of findings', button: 'OpenRaster' },
  { ending: 'voids.ora', word: 'Sheet with layers of what is unpainted', button: 'OpenRaster' },
  { ending: 'turnaround.png', word: 'Turnaround sheet, all facings', button: 'PNG' },
  { ending: 'proof.html', word: 'Proof: range sheet and report', button: 'HTML' },
  { ending: 'zip', word: 'Figure archive', button: 'Archive' },
];

function jobWords(job) {
  if (job.state === 'done') return `done, ${(job.size / 1024).toFixed(0)} KB`;
  return job.over ? job.state : job.total ? `${job.stage}, ${job.done} of ${job.total}` : job.stage;
}

export const deliveries = {
  deliverySize: { width: '', height: '', rate: '' },
  shot: { first: '', last: '', background: '', cropped: false, settled: false, premultiplied: false },
  jobs: [],
  jobTimer: 0,
  get deliveryKinds() {
    const kinds = DELIVERIES.filter(({ ending }) => ending !== 'turnaround.png' || bench.facings.told);
    return kinds.map((kind) => ({ ...kind, more: `Put ${kind.word.toLowerCase()} on the list` }));
  },
  get figureRate() {
    return bench.page.figure ? String(bench.page.figure.rate) : '';
  },
  async order(ending, more = {}) {
    const pose = JSON.parse(JSON.stringify(bench.facings.poseOf(bench.posing.posed)));
    const answer = await post(`/jobs/deliver/${bench.page.figureId}/`, {
      ending,
      pose,
      motion: bench.playing.motionName,
      ...this.deliveryAsked(),
      ...more,
    });
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    bench.page.message = '';
    this.loadJobs();
  },
  /** Size, rate and how it is filmed where a person said so. */
  deliveryAsked() {
    const { width, height, rate } = this.deliverySize;
    const asked = {};
    if (width && height) asked.size = [Number(width), Number(height)];
    if (rate) asked.rate = Number(rate);
    const { first, last, background, ...ticks } = this.shot;
    /** @type {Record<string, any>} */
    const shot = Object.fromEntries(Object.entries(ticks).filter(([, on]) => on));
    if (first !== '' && first !== null) shot.first = Number(first);
    if (last !== '' && last !== null) shot.last = Number(last);
    if (background.trim()) shot.background = background.trim();
    asked.shot = shot;
    return asked;
  },
  async stopJob(id) {
    await post(`/jobs/${id}/stop/`, {});
    this.loadJobs();
  },
  async loadJobs() {
    const answer = await fetchJson(`/jobs/of/${bench.page.figureId}/`);
    if (answer.ok)
      this.jobs = answer.data.jobs.map((job) => ({
        ...job,
        share: job.total ? job.done / job.total : 0,
        words: jobWords(job),
      }));
    clearTimeout(this.jobTimer);
    if (['delivery', 'trial'].includes(bench.page.stageKey) && (!answer.ok || this.jobs.some((job) => !job.over)))
      this.jobTimer = setTimeout(() => this.loadJobs(), 400);
  },
};
