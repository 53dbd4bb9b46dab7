// The picture to go by.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';

export const reference = {
  get reference() {
    return (bench.page.figure && bench.page.figure.reference) || null;
  },
  /** Fetch the reference picture once; it is drawn under or over the stage. */
  async loadReference() {
    const { reference } = this;
    if (!reference) {
      engine.reference = null;
      bench.sheet.redraw();
      return;
    }
    if (engine.reference && engine.reference.digest === reference.picture) {
      bench.sheet.redraw();
      return;
    }
    const answer = await fetch(`/figures/pictures/${reference.picture}.png`);
    if (!answer.ok) return;
    engine.reference = { digest: reference.picture, bitmap: await createImageBitmap(await answer.blob()) };
    bench.sheet.redraw();
  },
  async addReference(input) {
    const [file] = input.files;
    if (!file) return;
    const body = new FormData();
    body.set('picture', file);
    const answer = await fetchJson(`/bench/${bench.page.figureId}/reference/`, { method: 'POST', body });
    input.value = '';
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    const { sheet } = bench.page.figure;
    const scale = sheet.width / answer.data.size[0];
    this.setReference({
      picture: answer.data.picture,
      place: [-sheet.standing_point[0], -sheet.standing_point[1]],
      scale,
      opacity: 0.5,
      above: false,
    });
  },
  setReference(reference) {
    bench.history.edit({ kind: 'set_reference', reference });
  },
  referenceOpacity(value) {
    this.setReference({ ...this.reference, opacity: Number(value) });
  },
  referenceScale(value) {
    this.setReference({ ...this.reference, scale: Number(value) });
  },
  turnReference() {
    this.setReference({ ...this.reference, above: !this.reference.above });
  },
  dropReference() {
    this.setReference(null);
  },
};
