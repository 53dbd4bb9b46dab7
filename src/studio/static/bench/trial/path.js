// The way the tip of the chosen bone goes in a motion, with a tick a frame: how it is spaced.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';

const NEAR = 7; // px on the screen within which a tick is hit
const SPRUCE = '#1F6F68';
const PAPER = '#FFFEFA';
const BRASS = '#A9781F';

export const tipPath = {
  shown: true,
  of: '', // motion, bone and revision that the points are of
  get wanted() {
    const { one } = bench.motions;
    const bone = bench.selection.oneBone;
    if (!this.shown || !bench.strip.shown || !one || !bone) return '';
    return `${one.id}/${bone.id}/${bench.page.state.seen}`;
  },
  /** The frame whose tick lies at a place of the sheet (px of the figure), or null. */
  tickAt(point) {
    if (!engine.tipPath || !this.wanted) return null;
    const away = engine.tipPath.map(([x, y]) => Math.hypot(x - point[0], y - point[1]) * engine.camera.scale);
    const nearest = away.indexOf(Math.min(...away));
    return away[nearest] <= NEAR ? nearest : null;
  },
  /** Ask for it where another is wanted than is known. */
  async follow() {
    const { wanted } = this;
    if (wanted === this.of) return;
    this.of = wanted;
    engine.tipPath = null;
    bench.sheet.redraw();
    if (!wanted) return;
    const [motion, bone, seen] = wanted.split('/');
    const answer = await fetchJson(`/bench/${bench.page.figureId}/motion-path/${seen}/${motion}/${bone}/`);
    if (this.of !== wanted || !answer.ok) return;
    engine.tipPath = answer.data.points;
    bench.sheet.redraw();
  },
};

/** The line with its ticks; the frame that is worked on is marked. */
export function drawTipPath(context, camera) {
  if (!engine.tipPath) return;
  const spots = engine.tipPath.map((point) => camera.toScreen(...point));
  context.save();
  for (const [strokeStyle, lineWidth] of [
    [PAPER, 3.6],
    [SPRUCE, 1.4],
  ]) {
    Object.assign(context, { strokeStyle, lineWidth });
    context.beginPath();
    spots.forEach((spot, k) => context[k ? 'lineTo' : 'moveTo'](...spot));
    context.stroke();
  }
  spots.forEach(([x, y], k) => {
    const here = k === Math.min(bench.strip.at, spots.length - 1);
    Object.assign(context, { fillStyle: here ? BRASS : SPRUCE, strokeStyle: PAPER, lineWidth: 1 });
    context.beginPath();
    context.arc(x, y, here ? 5 : 2.4, 0, 7);
    context.fill();
    context.stroke();
  });
  context.restore();
}
