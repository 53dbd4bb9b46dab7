// Kept poses, and joints read together.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

export const poses = {
  together: null,
  poseName: '',
  /** Kept trial poses, and every joint read with its neighbours turned and in each of them. */
  get poseRows() {
    return bench.page.figure ? bench.page.figure.poses.map(({ name }) => ({ name })) : [];
  },
  keepPose() {
    bench.history.edit({
      kind: 'keep_pose',
      name: this.poseName || `pose ${bench.page.figure.poses.length + 1}`,
      pose: JSON.parse(JSON.stringify(bench.posing.pose)),
    });
    this.poseName = '';
  },
  forgetPose(name) {
    bench.history.edit({ kind: 'forget_pose', name });
  },
  takeUpPose(name) {
    bench.posing.posed = true;
    bench.posing.pose = { channels: { ...bench.page.figure.poses.find((one) => one.name === name).pose.channels } };
    bench.posing.sendPose();
  },
  async readTogether() {
    const { revision } = scene;
    this.together = { busy: true, done: 0, read: 0, misses: [], before: null };
    for (const id of bench.seams.seamJoints) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/together/${revision}/${id}/`);
      if (revision !== scene.revision || !this.together.busy || bench.page.stageKey !== 'seams') {
        this.together = { ...this.together, busy: false };
        return;
      }
      const found = answer.ok ? answer.data : { read: 0, misses: [], before: null };
      const before = found.before === null ? this.together.before : (this.together.before || 0) + found.before;
      this.together = {
        busy: true,
        before,
        done: this.together.done + 1,
        read: this.together.read + found.read,
        misses: [...this.together.misses, ...found.misses].sort((a, b) => b.times - a.times),
      };
    }
    this.together = { ...this.together, busy: false };
    bench.findings.loadFindings(revision);
  },
  stopTogether() {
    this.together = { ...this.together, busy: false };
  },
  get togetherBusy() {
    return Boolean(this.together && this.together.busy);
  },
  get togetherWords() {
    if (!this.together) return '';
    const { busy, done, read, misses, before } = this.together;
    if (busy) return `${done} of ${bench.seams.seamJoints.length} joints read together …`;
    return `${read} readings, ${misses.length} beyond what is tolerated${before === null ? '' : `; of the joints changed last, ${before} before`}`;
  },
  get togetherRows() {
    return this.together ? this.together.misses.slice(0, 8).map((one, key) => ({ key, text: one.sentence })) : [];
  },
};
