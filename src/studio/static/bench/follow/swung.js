// What the chosen chain did in the last three seconds: how far its end is off where the pose holds it, and its way.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { carried, frameOf } from '../page/scene.js';

const KEPT = 3; // s
const PX_A_SECOND = 72; // of the plot, as that of the wished curve
const LEAST = 3; // degrees that fill the plot at the least
const [RIGHT, REST, HIGH] = [252, 70, 40]; // of the plot
const SPRUCE = '#1F6F68';
const PAPER = '#FFFEFA';

function wrapped(degrees) {
  return ((((degrees + 180) % 360) + 360) % 360) - 180;
}

function degreesOf(x, y) {
  return (Math.atan2(y, x) * 180) / Math.PI;
}

export const swung = {
  drawn: false, // whether the way of its end is drawn on the sheet
  of: '',
  moments: [], // [s, degrees, x, y]
  /** Note a frame. */
  take() {
    const chain = bench.page.stageKey === 'follow' && bench.posing.posed && bench.springs.one;
    if (!chain) return;
    const of = `${bench.page.state.seen} ${chain.id}`;
    const before = this.of === of ? bench.raw(this.moments) : [];
    const now = performance.now() / 1000;
    this.of = of;
    this.moments = [...before.filter(([at]) => now - at < KEPT), [now, ...this.stands(chain)]];
  },
  /** How many degrees its last bone is off where the pose holds it, and where its end is. */
  stands({ bones }) {
    const { figure } = bench.page;
    const [first, last] = [bones[0], bones.at(-1)].map((id) => figure.bones.find((one) => one.id === id));
    const [from, to] = [last.joint, last.tip].map((place) => carried(last.id, place));
    const turned =
      degreesOf(to[0] - from[0], to[1] - from[1]) - degreesOf(last.tip[0] - last.joint[0], last.tip[1] - last.joint[1]);
    const [across, down] = frameOf(first.parent);
    const posed = bones.reduce((sum, id) => sum + bench.posing.turnOf(id), 0);
    return [wrapped(turned - degreesOf(across, down) - posed), ...to];
  },
  get most() {
    return Math.max(LEAST, ...this.moments.map(([, off]) => Math.abs(off)));
  },
  /** The points of an SVG line, now at its right end. */
  get line() {
    if (this.moments.length < 2) return '';
    const now = this.moments.at(-1)[0];
    const { most } = this;
    return this.moments
      .map(([at, off]) => `${(RIGHT - PX_A_SECOND * (now - at)).toFixed(1)},${(REST - (HIGH * off) / most).toFixed(1)}`)
      .join(' ');
  },
  get words() {
    return this.moments.length > 1 ? `In the last 3 s off by up to ${Math.round(this.most)}° (thin line).` : '';
  },
};

/** The way of the chain's end on the sheet, fainter the longer ago. */
export function drawWay(context, camera) {
  const { drawn, moments } = bench.swung;
  if (!drawn || moments.length < 2 || !engine.stage) return;
  const now = moments.at(-1)[0];
  const spots = moments.map(([, , x, y]) => camera.toScreen(x, y));
  context.save();
  context.lineCap = 'round';
  for (const [strokeStyle, lineWidth] of [
    [PAPER, 3.4],
    [SPRUCE, 1.6],
  ])
    for (let k = 1; k < spots.length; k += 1) {
      Object.assign(context, { strokeStyle, lineWidth, globalAlpha: 1 - (0.85 * (now - moments[k][0])) / KEPT });
      context.beginPath();
      context.moveTo(...spots[k - 1]);
      context.lineTo(...spots[k]);
      context.stroke();
    }
  context.restore();
}
