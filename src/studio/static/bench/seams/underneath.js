// What comes to light where nothing was painted.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

export const underneath = {
  voids: null,
  over: '', // the motion over which, or nothing for the joint's range
  /** What comes to light of the part behind at the chosen joint, shown on the sheet until asked away or another is chosen. */
  get voidWords() {
    if (!this.voids) return '';
    const part = bench.page.partName(this.voids.part);
    const over = this.voids.over ? `in “${this.voids.over}”` : 'over the range';
    if (!this.voids.unpainted) return `${this.voids.lit} px² of ${part} come to light ${over}; all of it is painted.`;
    return `${this.voids.lit} px² of ${part} come to light ${over}, and ${this.voids.unpainted} px² beyond are not painted: up to ${Math.ceil(this.voids.reach)} px outwards.`;
  },
  /** Where the part lacks paint, under which neighbours it can be grown. */
  get growRows() {
    if (!this.voids) return [];
    return this.voids.grow.map((one, key) => ({
      key,
      edit: { kind: 'grow_under', ...one },
      word: `Grow ${bench.page.partName(one.part)} by ${one.by} px${this.voids.grow.length > 1 ? ` under ${bench.page.partName(one.neighbour)}` : ''}`,
    }));
  },
  /** What the map would be of: the chosen joint, or else the chosen part. */
  get voidsOf() {
    return bench.seams.seamNow ? bench.selection.oneBone.id : bench.selection.onePart ? bench.selection.onePart.id : '';
  },
  async showVoids() {
    const { revision } = scene;
    const { over } = this;
    this.voids = null;
    const said = over ? `?${new URLSearchParams({ motion: over })}` : '';
    const answer = await fetchJson(`/bench/${bench.page.figureId}/voids/${revision}/${this.voidsOf}/${said}`);
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    const picture = await fetch(answer.data.picture);
    if (revision !== scene.revision || !picture.ok) return;
    engine.voids = await createImageBitmap(await picture.blob());
    this.voids = { ...answer.data, revision, over };
    bench.sheet.redraw();
  },
  keepVoids() {
    if (this.voids && (this.voids.of !== this.voidsOf || this.voids.revision !== scene.revision)) this.hideVoids();
  },
  hideVoids() {
    this.voids = null;
    engine.voids = null;
    bench.sheet.redraw();
  },
  growVoid(key) {
    bench.history.edit(this.growRows[key].edit);
  },
};
