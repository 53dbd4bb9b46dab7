// The sheet of art: a new version, its scale, names.

import { bench } from '../page/bench.js';
import { fetchJson, post } from '../page/api.js';

export const artsheet = {
  renewalWords: '',
  findText: '',
  putText: '',
  /** Words of sides and those of the other side, both ways, as this figure tells them. */
  get sidePairs() {
    return bench.page.figure.sides.flatMap(([one, other]) => [
      [one, other],
      [other, one],
    ]);
  },
  get sidesWords() {
    return bench.page.figure ? bench.page.figure.sides.map((pair) => pair.join(' ')).join(', ') : '';
  },
  setSides(words) {
    bench.history.edit({
      kind: 'set_sides',
      sides: words
        .split(',')
        .map((pair) => pair.trim().split(/\s+/))
        .filter((pair) => pair[0]),
    });
  },
  replaceNames() {
    bench.history.edit({ kind: 'replace_in_names', find: this.findText, put: this.putText });
  },
  get scaleNow() {
    return bench.page.figure ? bench.page.figure.sheet.scale : 1;
  },
  get hasSource() {
    return Boolean(bench.page.state && bench.page.state.source);
  },
  get waitingRenewal() {
    return bench.page.state ? bench.page.state.renewal : '';
  },
  async changeScale(scale) {
    const answer = await post(`/jobs/scale/${bench.page.figureId}/`, { scale: Number(scale) });
    await this.watchRenewal(answer);
  },
  async renewSheet(input) {
    const [file] = input.files;
    if (!file) return;
    const body = new FormData();
    body.set('art', file);
    body.set('onto', bench.page.figureId);
    this.renewalWords = `Sending ${file.name} …`;
    const answer = await fetchJson('/jobs/import/', { method: 'POST', body });
    input.value = '';
    await this.watchRenewal(answer);
  },
  /** Wait for the sheet to be read, then show what matches what. */
  async watchRenewal(begun) {
    let answer = begun;
    while (answer.ok && !answer.data.over) {
      this.renewalWords = answer.data.stage;
      await new Promise((done) => setTimeout(done, 300));
      answer = await fetchJson(`/jobs/${answer.data.id}/`);
    }
    this.renewalWords = answer.data.sentence;
    const asked = bench.facings.mayLift ? `?facing=${bench.facings.shown}` : '';
    if (answer.ok && answer.data.renewal && answer.data.state === 'done') location.href = answer.data.renewal + asked;
  },
};
