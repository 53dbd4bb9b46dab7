// A ghost of another facing, tinted, over the art or under it, to line drawings up by.

import { bench } from '../page/bench.js';

const TINT = '#2F6B5E';
let loaded = { path: '', bitmap: null };

/** The picture in one colour, so that it is no part of the drawing. */
function tinted(picture) {
  const canvas = new OffscreenCanvas(picture.width, picture.height);
  const context = canvas.getContext('2d');
  context.drawImage(picture, 0, 0);
  context.globalCompositeOperation = 'source-atop';
  context.globalAlpha = 0.6;
  context.fillStyle = TINT;
  context.fillRect(0, 0, canvas.width, canvas.height);
  return canvas;
}

export const ghost = {
  of: '', // the number of the facing, in words of a form
  opacity: 0.45,
  under: false, // under the art, not over it
  busy: false,
  get choices() {
    return bench.facings.rows.filter(({ on }) => !on).map(({ number, name }) => ({ key: String(number), word: name }));
  },
  /** All that how it looks under the art depends on. */
  get looks() {
    return this.of && this.under ? `${loaded.path} ${this.opacity} ${bench.facings.mirrored}` : '';
  },
  get path() {
    if (!this.of || !bench.page.state || !bench.facings.told) return '';
    return `/bench/${bench.page.figureId}/ghost/${bench.page.state.revision}.${this.of}.png`;
  },
  choose(number) {
    this.of = number;
    this.load();
  },
  async load() {
    const { path } = this;
    if (path && path !== loaded.path) {
      this.busy = true;
      const answer = await fetch(path);
      this.busy = false;
      if (!answer.ok) {
        bench.page.warn((await answer.json()).sentence);
        return;
      }
      const bitmap = tinted(await createImageBitmap(await answer.blob()));
      if (path === this.path) loaded = { path, bitmap };
    }
    bench.sheet.redraw();
  },
  taken() {
    if (!this.choices.some(({ key }) => key === this.of)) this.of = '';
    if (this.of) this.load();
  },
};

/** The ghost over the art, or `under` it. */
export function drawGhost(context, camera, under = false) {
  if (bench.ghost.under !== under || !bench.ghost.of || loaded.path !== bench.ghost.path || bench.sheet.cleanLook)
    return;
  const { bitmap } = loaded;
  const [x, y] = camera.toScreen(0, -bench.page.figure.sheet.standing_point[1]);
  context.save();
  context.globalAlpha = Number(bench.ghost.opacity);
  context.translate(x, y);
  context.scale(bench.facings.mirrored ? -camera.scale : camera.scale, camera.scale); // it is a picture as it is seen
  context.drawImage(bitmap, -bitmap.width / 2, 0);
  context.restore();
}
