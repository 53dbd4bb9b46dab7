// How sets grow: by a picture, by one drawn over the posed figure, by another figure's set.

import { bench } from '../page/bench.js';
import { fetchJson, post } from '../page/api.js';
import { scene } from '../page/scene.js';

export const growing = {
  overPose: false, // whether a picture that comes was drawn over the pose
  others: [],
  get mayPose() {
    return bench.posing.isPosed;
  },
  /** A picture chosen or dropped becomes one more drawing. */
  async add(file) {
    if (!file) return;
    const { set, like } = bench.sets;
    const body = new FormData();
    body.set('picture', file);
    const answer = await fetchJson(`/bench/${bench.page.figureId}/drawing/`, { method: 'POST', body });
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    const name = file.name.replace(/\.[^.]*$/, '').slice(0, 80) || 'drawing';
    const pose = this.overPose && this.mayPose ? { pose: JSON.parse(JSON.stringify(bench.posing.pose)) } : {};
    bench.history.edit({ kind: 'add_drawing', set: set.id, picture: answer.data.picture, name, like, ...pose });
    this.overPose = false;
  },
  chose(input) {
    const [file] = input.files;
    input.value = '';
    return this.add(file);
  },
  dropped(event) {
    event.preventDefault();
    return this.add(event.dataTransfer.files[0]);
  },
  /** Show the drawing of a name, or of the first words of one, or of a number. */
  pickNamed(typed) {
    const sought = typed.trim().toLowerCase();
    const { rows } = bench.sets;
    const found =
      rows.find(({ name, number }) => name.toLowerCase() === sought || String(number) === sought) ||
      rows.find(({ name }) => name.toLowerCase().includes(sought));
    if (sought && found) bench.sets.show(found.number);
    else if (sought) bench.page.warn(`No drawing of “${bench.sets.set.name}” is called “${typed}”.`);
  },
  /** The sets of other figures, asked for when the list is opened. */
  async loadOthers() {
    const answer = await fetchJson(`/bench/${bench.page.figureId}/other-sets/`);
    if (answer.ok) this.others = answer.data.sets.map((one) => ({ ...one, key: `${one.figure}:${one.set}` }));
  },
  async takeOver(key) {
    const one = this.others.find((each) => each.key === key);
    if (!one) return;
    const path = `/bench/${bench.page.figureId}/take-set/${scene.revision}/`;
    const answer = await post(path, { figure: one.figure, set: one.set });
    if (answer.ok) bench.history.edit(answer.data.edit);
    else bench.page.warn(answer.data.sentence);
  },
};
