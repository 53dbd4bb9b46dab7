// Skeletons from templates and parts; set-ups and settings copied.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const TEMPLATES = [
  ['biped', 'Biped'],
  ['four-legged', 'Four-legged'],
  ['bird', 'Bird'],
  ['six-legged', 'Six-legged'],
  ['tail', 'Tail'],
  ['long-ear', 'Long ears'],
];

export const setup = {
  template: 'biped',
  copyFind: 'near',
  copyPut: 'far',
  matchesFound: null,
  alongJoints: '',
  settingsOf: '',
  get templateChoices() {
    return TEMPLATES.map(([key, word]) => ({ key, word }));
  },
  get matchRows() {
    return this.matchesFound
      ? [...this.matchesFound.parts, ...this.matchesFound.bones].map((row, key) => ({
          ...row,
          key,
          word: row.made ? 'made' : 'is there',
        }))
      : [];
  },
  bonesFromParts() {
    bench.history.edit({ kind: 'bones_from_parts' });
  },
  /** Limits, spring and treatment of one joint for others: taken from one, given to all that are selected then. */
  copySettings() {
    if (bench.selection.oneBone) {
      this.settingsOf = bench.selection.oneBone.id;
      bench.binding.warnNot(
        `The settings of ${bench.selection.oneBone.name} are kept; select other bones and give them these.`,
      );
    }
  },
  get settingsWord() {
    return this.settingsOf ? `Give them those of ${bench.page.boneName(this.settingsOf)}` : '';
  },
  get mayGive() {
    return Boolean(this.settingsWord) && bench.selection.bones.some((id) => id !== this.settingsOf);
  },
  giveSettings() {
    bench.history.edit({ kind: 'give_settings', bone: this.settingsOf, to: [...bench.selection.bones] });
  },
  fitTemplate() {
    bench.history.edit({ kind: 'fit_template', template: this.template });
  },
  async customTemplate(input) {
    const [file] = input.files;
    if (!file) return;
    const text = file.size < 400000 ? await file.text() : '';
    input.value = '';
    let custom;
    try {
      custom = JSON.parse(text);
    } catch {
      bench.page.warn('This is not a template: the file is not JSON.');
      return;
    }
    bench.history.edit({ kind: 'fit_template', custom });
  },
  /** The words of sides to begin with, from the bone's own name. */
  suggestSides() {
    if (!bench.selection.oneBone) return;
    const side = bench.artsheet.sidePairs.find(([from]) =>
      bench.selection.oneBone.name.split(/[\s_.-]+/).includes(from),
    );
    if (side) [this.copyFind, this.copyPut] = side;
    this.matchesFound = null;
  },
  async previewSetup() {
    const ask = new URLSearchParams({ find: this.copyFind, put: this.copyPut });
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/matches/${scene.revision}/${bench.selection.oneBone.id}/?${ask}`,
    );
    this.matchesFound = answer.ok ? answer.data : null;
    if (!answer.ok) bench.page.warn(answer.data.sentence);
  },
  copySetup() {
    bench.history.edit({
      kind: 'copy_setup',
      bone: bench.selection.oneBone.id,
      find: this.copyFind,
      put: this.copyPut,
    });
    this.matchesFound = null;
  },
};
