// What helps the hand on the sheet while binding: the brush's rim, chosen vertices, loops, the bend zone with its ends.

import { scene, vertex } from '../page/scene.js';

const SPRUCE = '#1F6F68';
const BRASS = '#A9781F';

/** The four ends of the first zone's sides, in figure space. */
export function handlesOf(zones) {
  if (!zones.length) return [];
  const zone = zones[0];
  const made = [];
  for (const [angle, ahead] of [
    [zone.ahead, true],
    [zone.back, false],
  ]) {
    const direction = [Math.cos(angle), Math.sin(angle)];
    // the clockwise side of the bone is the counterclockwise one of its parent's direction back
    const clockwise = ahead ? [-direction[1], direction[0]] : [direction[1], -direction[0]];
    for (const side of ['inner', 'outer']) {
      const sign = (side === 'inner') === zone.innerSide > 0 ? 1 : -1;
      const half = zone.width / 2;
      const reach = Math.min(zone[side], zone.longest) * half;
      made.push({
        side,
        direction,
        joint: zone.at,
        width: zone.width,
        length: zone[side],
        at: [
          zone.at[0] + direction[0] * reach + sign * clockwise[0] * half,
          zone.at[1] + direction[1] * reach + sign * clockwise[1] * half,
        ],
      });
    }
  }
  return made;
}

export function drawZone(context, camera, zones) {
  const handles = handlesOf(zones);
  if (!handles.length) return;
  const [a, b, c, d] = handles.map((one) => camera.toScreen(...one.at));
  context.save();
  context.fillStyle = 'rgba(169, 120, 31, .16)';
  context.strokeStyle = BRASS;
  context.lineWidth = 1.4;
  context.setLineDash([5, 4]);
  context.beginPath();
  context.moveTo(...a);
  context.lineTo(...c);
  context.lineTo(...d);
  context.lineTo(...b);
  context.closePath();
  context.fill();
  context.stroke();
  context.setLineDash([]);
  handles.forEach((one, k) => {
    const [x, y] = [a, b, c, d][k];
    context.fillStyle = '#FFFDF8';
    context.beginPath();
    if (one.side === 'inner') context.rect(x - 5, y - 5, 10, 10);
    else context.arc(x, y, 5.5, 0, 7);
    context.fill();
    context.stroke();
  });
  context.restore();
}

export function drawBrushRim(context, camera, point, radius, fallOff) {
  if (!point) return;
  const [x, y] = camera.toScreen(...point);
  context.save();
  for (const [width, colour] of [
    [3, '#FFFEFA'],
    [1.4, SPRUCE],
  ]) {
    Object.assign(context, { lineWidth: width, strokeStyle: colour });
    context.beginPath();
    context.arc(x, y, radius * camera.scale, 0, 7);
    context.stroke();
  }
  context.setLineDash([3, 3]);
  context.beginPath();
  context.arc(x, y, Math.max(radius * camera.scale * (1 - fallOff), 1), 0, 7);
  context.stroke();
  context.restore();
}

export function drawChosen(context, camera, block, chosen, shift) {
  if (!block) return;
  context.save();
  Object.assign(context, { lineWidth: 2, strokeStyle: SPRUCE, fillStyle: '#FFFDF8' });
  for (const k of chosen) {
    if (k >= block[1]) continue;
    const [x, y] = vertex(block[0] + k);
    const [sx, sy] = camera.toScreen(x + (shift ? shift[0] : 0), y + (shift ? shift[1] : 0));
    context.beginPath();
    context.arc(sx, sy, 4, 0, 7);
    context.fill();
    context.stroke();
  }
  context.restore();
}

export function drawLine(context, camera, points) {
  if (!points || points.length < 2) return;
  context.save();
  Object.assign(context, { lineWidth: 2, strokeStyle: SPRUCE, lineJoin: 'round' });
  context.setLineDash([6, 4]);
  context.beginPath();
  points.forEach((point, k) =>
    k ? context.lineTo(...camera.toScreen(...point)) : context.moveTo(...camera.toScreen(...point)),
  );
  context.stroke();
  context.restore();
}

/** The spot the pointer is taken to mean, with a word for it. */
export function drawSnap(context, camera, snap) {
  if (!snap || !snap.word || !scene.figure) return;
  const [x, y] = camera.toScreen(...snap.point);
  context.save();
  Object.assign(context, {
    lineWidth: 2,
    strokeStyle: BRASS,
    fillStyle: '#5B6472',
    font: '12px "Atkinson Hyperlegible"',
  });
  context.beginPath();
  context.moveTo(x - 7, y);
  context.lineTo(x + 7, y);
  context.moveTo(x, y - 7);
  context.lineTo(x, y + 7);
  context.stroke();
  context.translate(x, y); // upright on the screen however the view lies
  context.rotate(-camera.turn);
  context.scale(camera.mirrored ? -1 : 1, 1);
  context.fillText(snap.word, 10, -8);
  context.restore();
}

/** The crosshair that arrow keys move. */
export function drawCross(context, camera, point) {
  if (!point) return;
  const [x, y] = camera.toScreen(...point);
  context.save();
  for (const [width, colour] of [
    [4, '#FFFEFA'],
    [1.6, SPRUCE],
  ]) {
    Object.assign(context, { lineWidth: width, strokeStyle: colour });
    context.beginPath();
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      context.moveTo(x + 4 * dx, y + 4 * dy);
      context.lineTo(x + 16 * dx, y + 16 * dy);
    }
    context.stroke();
  }
  context.restore();
}

/** Corners to scale by and a knob to turn by, around a part. */
export function drawHandles(context, camera, { corners, knob }) {
  const spots = corners.map((one) => camera.toScreen(...one));
  const [kx, ky] = camera.toScreen(...knob);
  const top = [(spots[0][0] + spots[1][0]) / 2, (spots[0][1] + spots[1][1]) / 2];
  context.save();
  Object.assign(context, { lineWidth: 1.4, strokeStyle: SPRUCE, fillStyle: '#FFFDF8' });
  context.beginPath();
  spots.forEach((one, k) => (k ? context.lineTo(...one) : context.moveTo(...one)));
  context.closePath();
  context.moveTo(...top);
  context.lineTo(kx, ky);
  context.stroke();
  for (const [x, y] of spots) {
    context.beginPath();
    context.rect(x - 5, y - 5, 10, 10);
    context.fill();
    context.stroke();
  }
  context.beginPath();
  context.arc(kx, ky, 6, 0, 7);
  context.fill();
  context.stroke();
  context.restore();
}
