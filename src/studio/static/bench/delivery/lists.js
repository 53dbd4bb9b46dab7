// Delivery lists: what goes to whom, saved under a name, made in one go.

import { bench } from '../page/bench.js';
import { fetchJson, post } from '../page/api.js';

const OF_A_MOTION = ['webm', 'webp', 'apng', 'frames.zip', 'contact.png', 'show.html', 'glb'];

export const lists = {
  /** @type {{ id: number, name: string, files: any[] }[]} */
  saved: [],
  name: '',
  /** @type {any[]} */
  files: [], // of the list that is worked on
  get chosen() {
    return this.saved.find(({ name }) => name === this.name) || null;
  },
  /** Whether it is saved as it stands. */
  get asSaved() {
    return Boolean(this.chosen) && JSON.stringify(this.chosen.files) === JSON.stringify(this.files);
  },
  get rows() {
    return this.files.map((one, k) => ({
      key: k,
      id: `listed-${k}`,
      file: one.file,
      moves: 'motion' in one && one.motion !== null,
      words: [
        one.motion === '*' ? 'every motion' : one.motion || '',
        one.size ? one.size.join(' × ') : '',
        one.pose ? `pose ${one.pose}` : '',
      ]
        .filter(Boolean)
        .join(', '),
      off: `Take ${one.file} off the list`,
    }));
  },
  async load() {
    const answer = await fetchJson('/jobs/lists/');
    if (answer.ok) this.saved = answer.data.lists;
  },
  open(name) {
    const found = this.saved.find((one) => one.name === name);
    [this.name, this.files] = found ? [found.name, JSON.parse(JSON.stringify(found.files))] : ['', []];
  },
  /** What would be delivered now, as a line of the list. */
  add(ending) {
    const moves = OF_A_MOTION.includes(ending);
    const motion = moves ? { motion: bench.playing.motionName } : {};
    const { shot, ...plain } = bench.deliveries.deliveryAsked();
    const painted = ending !== 'glb';
    const file = moves ? `{figure}-{motion}.${ending}` : `{figure}.${ending}`;
    this.files.push({ file, ...motion, ...(painted ? plain : {}), ...(moves && painted ? shot : {}) });
  },
  rename(row, file) {
    if (file.trim()) this.files[row.key].file = file.trim();
  },
  /** Of this one motion, or of each of the figure's own. */
  everyMotion(row) {
    const one = this.files[row.key];
    one.motion = one.motion === '*' ? bench.playing.motionName : '*';
  },
  drop(row) {
    this.files.splice(row.key, 1);
  },
  async save() {
    if (!this.name.trim()) {
      bench.page.warn('Give the list a name: for whom it is, or what for.');
      return false;
    }
    const answer = await post('/jobs/lists/keep/', { name: this.name.trim(), files: this.files });
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return false;
    }
    await this.load();
    this.open(answer.data.name);
    return true;
  },
  async make() {
    if (!this.asSaved && !(await this.save())) return;
    const answer = await post(`/jobs/deliver/${bench.page.figureId}/`, { list: this.chosen.id });
    bench.page.message = '';
    if (answer.ok) bench.deliveries.loadJobs();
    else bench.page.warn(answer.data.sentence);
  },
  async remove() {
    const answer = await post(`/jobs/lists/${this.chosen.id}/drop/`, {});
    if (answer.ok) [this.saved, this.name, this.files] = [answer.data.lists, '', []];
  },
};
