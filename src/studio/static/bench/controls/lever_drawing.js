// Levers on the sheet: a slot with a knob, or a pad with one where a lever goes both ways.

import { bench } from '../page/bench.js';

const PAPER = '#FFFEFA';
const SLATE = '#4A4E57';
const [SHORTEST, LONGEST, SIZE] = [34, 72, 190]; // px on the screen; px of the figure it is between the two

/** How long a lever is from one end to the other, px on the screen: it shrinks with the art, but stays in reach. */
export function lengthAt(camera) {
  return Math.min(Math.max(SIZE * camera.scale, SHORTEST), LONGEST);
}

/** How far from the middle of an axis, in px to the right or down, it is when it is so far from its rest. */
function alongOf({ low, high, rest }, way, from, length) {
  const share = Math.min(Math.max((rest + from - low) / (high - low), 0), 1) - 0.5;
  return (way === 'x' ? share : -share) * length;
}

/**
 * Where a lever and its knob are on the screen: its middle, its knob; null for one on the slip only.
 * @returns {{ middle: [number, number], knob: [number, number] } | null}
 */
export function spotsOf(lever, camera) {
  const place = bench.levers.placeOf(lever);
  if (!place) return null;
  const middle = camera.toScreen(...place);
  const stand = bench.levers.standOf(lever);
  const off = ['x', 'y'].map((way, k) => (lever[way] ? alongOf(lever[way], way, stand[k], lengthAt(camera)) : 0));
  return { middle, knob: [middle[0] + off[0], middle[1] + off[1]] };
}

export function drawLevers(context, camera, hovered) {
  for (const lever of bench.levers.all) {
    const spots = spotsOf(lever, camera);
    if (!spots) continue;
    const on = lever.id === bench.levers.chosen;
    context.save();
    context.globalAlpha = on || lever.id === hovered ? 1 : 0.8;
    const length = lengthAt(camera);
    drawSlot(context, lever, spots.middle, length);
    drawKnob(context, lever, spots.knob, on);
    if (on || lever.id === hovered) drawName(context, camera, lever, spots.middle, length);
    context.restore();
  }
}

function drawSlot(context, lever, [x, y], length) {
  const [half, thin] = [length / 2, 4];
  const [wide, high] = [lever.x ? half : thin, lever.y ? half : thin];
  context.beginPath();
  context.roundRect(x - wide - 3, y - high - 3, 2 * wide + 6, 2 * high + 6, 7);
  Object.assign(context, { fillStyle: PAPER, strokeStyle: SLATE, lineWidth: 1.2 });
  const solid = context.globalAlpha;
  context.globalAlpha = 0.82 * solid;
  context.fill();
  context.globalAlpha = solid;
  context.stroke();
  context.beginPath();
  for (const way of ['x', 'y']) {
    if (!lever[way]) continue;
    const { rest, detents } = lever[way];
    for (const one of [rest, ...detents]) {
      const at = alongOf({ ...lever[way], rest: one }, way, 0, length);
      const long = one === rest ? 6 : 3.5;
      if (way === 'x') line(context, [x + at, y - (lever.y ? long : 4)], [x + at, y + (lever.y ? long : 4)]);
      else line(context, [x - (lever.x ? long : 4), y + at], [x + (lever.x ? long : 4), y + at]);
    }
  }
  context.stroke();
}

function line(context, from, to) {
  context.moveTo(...from);
  context.lineTo(...to);
}

function drawKnob(context, lever, [x, y], on) {
  context.beginPath();
  context.arc(x, y, 6, 0, 7);
  context.fillStyle = lever.hue === null ? (on ? '#1F6F68' : '#B3801F') : `oklch(0.6 0.12 ${lever.hue})`;
  Object.assign(context, { strokeStyle: on ? '#123F3B' : PAPER, lineWidth: 2 });
  context.fill();
  context.stroke();
}

function drawName(context, camera, lever, [x, y], length) {
  context.font = '700 12px "Atkinson Hyperlegible", sans-serif';
  context.textAlign = 'center';
  const below = y + (lever.y ? length / 2 : 4) + 18;
  Object.assign(context, { strokeStyle: PAPER, lineWidth: 4, fillStyle: SLATE, lineJoin: 'round' });
  context.save();
  context.translate(x, below);
  context.scale(camera.mirrored ? -1 : 1, 1); // it is read the same in a mirror
  context.strokeText(lever.name, 0, 0);
  context.fillText(lever.name, 0, 0);
  context.restore();
}
