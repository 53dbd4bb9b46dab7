// Warps on the sheet: their lines and handles, where they are now.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';

const SPRUCE = '#1F6F68';
const PAPER = '#FFFEFA';
const RADIUS = 5; // px on the screen

/** The lines of a warp as lists of numbers of its handles: a grid, or an outline. */
export function linesOf({ kind, columns, rows, handles }) {
  const lines = [];
  if (kind === 'cage') return [[...handles.keys(), 0]];
  for (let row = 0; row < rows; row += 1) lines.push(Array.from({ length: columns }, (_, k) => row * columns + k));
  for (let column = 0; column < columns; column += 1)
    lines.push(Array.from({ length: rows }, (_, k) => k * columns + column));
  return lines;
}

/** Draw the warps that show, those not chosen fainter. */
export function drawWarps(context, camera) {
  for (const warp of bench.warps.onSheet) {
    const places = warp.handles.map((one) => camera.toScreen(...placeNow(one.id)));
    context.save();
    context.globalAlpha = warp.id === bench.warps.chosen ? 1 : 0.45;
    context.setLineDash(warp.local ? [5, 3] : []);
    for (const [colour, width] of [
      [PAPER, 3.2],
      [SPRUCE, 1.3],
    ]) {
      Object.assign(context, { strokeStyle: colour, lineWidth: width });
      for (const line of linesOf(warp)) {
        context.beginPath();
        line.forEach((number, k) => context[k ? 'lineTo' : 'moveTo'](...places[number]));
        context.stroke();
      }
    }
    context.setLineDash([]);
    warp.handles.forEach((handle, number) => drawHandle(context, places[number], handle));
    context.restore();
  }
}

function drawHandle(context, [x, y], handle) {
  const chosen = bench.handles.ids.includes(handle.id);
  Object.assign(context, { fillStyle: chosen ? SPRUCE : PAPER, strokeStyle: SPRUCE, lineWidth: 1.6 });
  context.beginPath();
  if (handle.ties.length) context.rect(x - RADIUS, y - RADIUS, 2 * RADIUS, 2 * RADIUS);
  else context.arc(x, y, RADIUS, 0, 7);
  context.fill();
  context.stroke();
}

/** Where a handle is now: dragged, posed, or at rest. */
function placeNow(id) {
  const drag = engine.handleDrag;
  const [x, y] = bench.handles.placeOf(id);
  if (!drag || !drag.moved.has(id)) return [x, y];
  return [x + drag.moved.get(id) * drag.by[0], y + drag.by[1]];
}
