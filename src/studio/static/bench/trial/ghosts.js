// Ghosts: outlines of the frames before and after the one worked on, tinted by whether they come or are past.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';

const PAST = '#7A3B69';
const TO_COME = '#1F6F68';
const FAINTEST = 0.25;

export const ghosts = {
  shown: false,
  count: 2, // on each side
  apart: 4, // frames
  onlySelected: false,
  of: '',
  get frames() {
    const steps = Array.from({ length: Number(this.count) || 0 }, (_, k) => (k + 1) * (Number(this.apart) || 1));
    const around = steps.flatMap((by) => [bench.strip.frame - by, bench.strip.frame + by]);
    return around.filter((frame) => frame >= 0 && frame < bench.strip.frames).sort((a, b) => a - b);
  },
  get parts() {
    if (!this.onlySelected) return [];
    const { bones, parts } = bench.selection;
    const follows = (part) => (part.binding.kind === 'rigid' ? [part.binding.bone] : part.binding.influences || []);
    const ofBones = bench.page.figure.parts.filter((part) => follows(part).some((ref) => bones.includes(ref)));
    return [...new Set([...parts, ...ofBones.map(({ id }) => id)])];
  },
  get wanted() {
    const { one } = bench.motions;
    if (!this.shown || !bench.strip.shown || !one || bench.playing.playing || bench.strip.scrubbing) return '';
    return [one.id, bench.page.state.seen, this.frames.join(','), this.parts.join(',')].join('/');
  },
  /** Ask for them where others are wanted than are known. */
  async follow() {
    const { wanted } = this;
    if (wanted === this.of) return;
    this.of = wanted;
    if (!wanted) engine.ghosts = null;
    bench.sheet.redraw();
    if (!wanted) return;
    const [motion, seen, frames, parts] = wanted.split('/');
    const address = `/bench/${bench.page.figureId}/motion-ghosts/${seen}/${motion}/?frames=${frames}&parts=${parts}`;
    const answer = await fetchJson(address);
    if (this.of !== wanted) return;
    engine.ghosts = answer.ok ? answer.data.ghosts : null;
    if (!answer.ok) bench.page.warn(answer.data.sentence);
    bench.sheet.redraw();
  },
};

/** The outlines, fainter the further away in time; those past are dashed. */
export function drawGhosts(context, camera) {
  if (!engine.ghosts || !bench.ghosts.shown || bench.playing.playing) return;
  const furthest = Math.max(
    ...Object.keys(engine.ghosts).map((frame) => Math.abs(Number(frame) - bench.strip.frame)),
    1,
  );
  context.save();
  for (const [frame, rings] of Object.entries(engine.ghosts)) {
    const away = Number(frame) - bench.strip.frame;
    context.globalAlpha = 1 - (1 - FAINTEST) * (Math.abs(away) / furthest) * 0.8;
    context.strokeStyle = away < 0 ? PAST : TO_COME;
    context.lineWidth = 1.5;
    context.setLineDash(away < 0 ? [5, 3] : []);
    for (const ring of rings) {
      context.beginPath();
      ring.forEach((point, k) => context[k ? 'lineTo' : 'moveTo'](...camera.toScreen(...point)));
      context.closePath();
      context.stroke();
    }
  }
  context.restore();
}
