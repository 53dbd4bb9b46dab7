// Reaches on the sheet: their goals, the side a limb bends to, and how far it is from one to the other.

import { bench } from '../page/bench.js';
import { carried } from '../page/scene.js';
import { engine } from '../page/engine.js';

const SPRUCE = '#1F6F68';
const BRASS = '#B3801F';
const PAPER = '#FFFEFA';
const RADIUS = 8; // px on the screen
const MARKS = 9; // spots on a bone that is lengthened
const RUNG = 7; // px on the screen to each side
const ASIDE = 20; // px on the screen that the mark of the side lies beside its joint

/** Where the joints of a chain and its tip are now, the first joint first. */
export function spotsOf(reach) {
  const bones = bench.reaches.chainOf(reach);
  return [...bones.map((bone) => carried(bone.id, bone.joint)), carried(bones.at(-1).id, bones.at(-1).tip)];
}

/** Where the mark lies by which a limb is told to bend to the other side, and which way it points (on the figure). */
export function sideMark(reach) {
  const spots = spotsOf(reach);
  const [start, middle, end] = [spots[0], spots[Math.floor(spots.length / 2)], spots.at(-1)];
  const length = Math.hypot(end[0] - start[0], end[1] - start[1]) || 1;
  const sign = reach.side === 'clockwise' ? 1 : -1;
  const way = [(sign * (end[1] - start[1])) / length, (-sign * (end[0] - start[0])) / length];
  const away = ASIDE / engine.camera.scale;
  return { at: [middle[0] + away * way[0], middle[1] + away * way[1]], way };
}

/** Draw all goals, the chosen one with the way to it and the side it bends to. */
export function drawReaches(context, camera) {
  for (const reach of bench.reaches.goals) {
    const on = reach.id === bench.reaches.chosen;
    const goal = camera.toScreen(...bench.reaches.placeOf(reach));
    context.save();
    context.globalAlpha = on ? 1 : 0.75;
    if (on) {
      context.setLineDash([4, 4]);
      stroke(context, [camera.toScreen(...spotsOf(reach)[0]), goal], BRASS);
      context.setLineDash([]);
      if (reach.kind === 'reach') drawSide(context, camera, sideMark(reach));
    }
    drawGoal(context, goal, on, reach.hue);
    context.restore();
  }
}

/** Rungs across bones that are lengthened, even along them at rest: far apart where the length is taken up. */
export function drawLengthened(context, camera) {
  if (!bench.posing.posed || !engine.lengthened) return;
  for (let first = 0; first < engine.lengthened.length; first += 2 * MARKS) {
    const spots = Array.from({ length: MARKS }, (_, k) =>
      camera.toScreen(engine.lengthened[first + 2 * k], engine.lengthened[first + 2 * k + 1]),
    );
    const [[ax, ay], [bx, by]] = [spots[0], spots[MARKS - 1]];
    const length = Math.hypot(bx - ax, by - ay) || 1;
    const [rx, ry] = [(-RUNG * (by - ay)) / length, (RUNG * (bx - ax)) / length];
    stroke(context, [spots[0], spots[MARKS - 1]], BRASS);
    for (const [x, y] of spots) stroke(context, [[x - rx, y - ry], [x + rx, y + ry]], BRASS); // prettier-ignore
  }
}

function stroke(context, spots, colour) {
  for (const [style, width] of [
    [PAPER, 3.4],
    [colour, 1.5],
  ]) {
    Object.assign(context, { strokeStyle: style, lineWidth: width });
    context.beginPath();
    spots.forEach((spot, k) => context[k ? 'lineTo' : 'moveTo'](...spot));
    context.stroke();
  }
}

/** A goal: a ring with a hole in its middle, so that what is aimed at is seen. */
function drawGoal(context, [x, y], on, hue) {
  const own = hue === null ? (on ? SPRUCE : BRASS) : `oklch(0.6 0.12 ${hue})`;
  for (const [style, width] of [
    [PAPER, 6.5],
    [own, on ? 4.4 : 3.2],
  ]) {
    Object.assign(context, { strokeStyle: style, lineWidth: width });
    context.beginPath();
    context.arc(x, y, RADIUS, 0, 7);
    context.stroke();
  }
}

/** A wedge beside the joint that points to where the limb bends. */
function drawSide(context, camera, { at, way }) {
  const [x, y] = camera.toScreen(...at);
  const ahead = camera.toScreen(at[0] + way[0], at[1] + way[1]);
  const length = Math.hypot(ahead[0] - x, ahead[1] - y) || 1;
  const [ux, uy] = [(ahead[0] - x) / length, (ahead[1] - y) / length];
  context.beginPath();
  for (const [along, aside] of [
    [7, 0],
    [-4, 6],
    [-4, -6],
  ])
    context.lineTo(x + along * ux - aside * uy, y + along * uy + aside * ux);
  context.closePath();
  Object.assign(context, { fillStyle: PAPER, strokeStyle: BRASS, lineWidth: 1.6 });
  context.fill();
  context.stroke();
}
