// Deliveries: order, watch, stop.

import { fetchJson, post } from './api.js';

function jobWords(job) {
  if (job.state === 'done') return `done, ${(job.size / 1024).toFixed(0)} KB`;
  return job.over ? job.state : job.total ? `${job.stage}, ${job.done} of ${job.total}` : job.stage;
}


export const delivering = {
  async order(ending) {
    const pose = this.posed ? JSON.parse(JSON.stringify(this.pose)) : {};
    const answer = await post(`/jobs/deliver/${this.figureId}/`, { ending, pose, motion: this.motionName, ...this.deliveryAsked() });
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    this.loadJobs();
  },
  /** Size and rate where a person gave them. */
  deliveryAsked() {
    const { width, height, rate } = this.deliverySize;
    const asked = {};
    if (width && height) asked.size = [Number(width), Number(height)];
    if (rate) asked.rate = Number(rate);
    return asked;
  },
  async stopJob(id) { await post(`/jobs/${id}/stop/`, {}); this.loadJobs(); },
  async loadJobs() {
    const answer = await fetchJson(`/jobs/of/${this.figureId}/`);
    if (answer.ok) this.jobs = answer.data.jobs.map((job) => ({ ...job, share: job.total ? job.done / job.total : 0, words: jobWords(job) }));
    clearTimeout(this.jobTimer);
    if (this.stageKey === 'delivery' && (!answer.ok || this.jobs.some((job) => !job.over))) this.jobTimer = setTimeout(() => this.loadJobs(), 400);
  },
};
