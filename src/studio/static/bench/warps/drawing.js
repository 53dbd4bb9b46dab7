// Warps on the sheet: their lines and handles, where they are now.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene, vertex } from '../page/scene.js';
import { partsUnder } from './warps.js';

const SPRUCE = '#1F6F68';
const PAPER = '#FFFEFA';
const FOLDED = '#B3261E';
const HATCH = 5; // px on the screen between lines
const RADIUS = 5; // px on the screen

/** The lines of a warp as lists of numbers of its handles: a grid, an outline, or one line. */
export function linesOf({ kind, columns, rows, handles }) {
  const lines = [];
  if (kind === 'cage') return [[...handles.keys(), 0]];
  if (kind === 'curve') return [[...handles.keys()]];
  if (kind === 'tacks') return [];
  for (let row = 0; row < rows; row += 1) lines.push(Array.from({ length: columns }, (_, k) => row * columns + k));
  for (let column = 0; column < columns; column += 1)
    lines.push(Array.from({ length: rows }, (_, k) => k * columns + column));
  return lines;
}

/** Draw some warps, or those that show; those not chosen fainter. */
export function drawWarps(context, camera, some = bench.warps.onSheet) {
  for (const warp of some) {
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
        const spots = line.map((number) => places[number]);
        context.beginPath();
        if (warp.kind === 'curve') smooth(context, spots);
        else spots.forEach((spot, k) => context[k ? 'lineTo' : 'moveTo'](...spot));
        context.stroke();
      }
    }
    context.setLineDash([]);
    if (warp.stiff) drawStiff(context, camera, warp.stiff);
    warp.handles.forEach((handle, number) => drawHandle(context, places[number], handle));
    context.restore();
    hatch(context, camera, foldedUnder(warp));
  }
}

/** The triangles under a warp that lie turned over as they are shown, each as three numbers of vertices. */
export function foldedUnder(warp) {
  const parts = partsUnder(warp);
  const { indices, uv } = scene.geometry;
  const found = [];
  for (const item of engine.stage.items.filter((one) => one.variant === 'full' && parts.has(one.part)))
    for (let k = item.first; k < item.first + item.count; k += 3) {
      const [a, b, c] = indices.subarray(k, k + 3);
      if (areaOf(uv, a, b, c) * areaOf(scene.vertices, a, b, c) < 0) found.push([a, b, c]);
    }
  return found;
}

function areaOf(places, a, b, c) {
  const [x, y] = [places[2 * a], places[2 * a + 1]];
  return (places[2 * b] - x) * (places[2 * c + 1] - y) - (places[2 * b + 1] - y) * (places[2 * c] - x);
}

/** Hatch what is folded over, so that it is seen however small it is. */
function hatch(context, camera, triangles) {
  if (!triangles.length) return;
  context.save();
  context.beginPath();
  for (const corners of triangles) {
    corners.forEach((one, k) => context[k ? 'lineTo' : 'moveTo'](...camera.toScreen(...vertex(one))));
    context.closePath();
  }
  Object.assign(context, { fillStyle: FOLDED, strokeStyle: FOLDED, lineWidth: 1.4, globalAlpha: 0.3 });
  context.fill();
  context.clip();
  context.globalAlpha = 1;
  context.beginPath();
  for (let at = -camera.height; at < camera.width; at += HATCH) {
    context.moveTo(at, camera.height);
    context.lineTo(at + camera.height, 0);
  }
  context.stroke();
  context.restore();
}

/** A smooth line through spots: in each the direction of the parabola through it and its two neighbours. */
export function smooth(context, spots) {
  const steps = spots.slice(1).map(([x, y], k) => [x - spots[k][0], y - spots[k][1]]);
  const lengths = steps.map((step) => Math.hypot(...step) || 1e-6);
  const slopes = steps.map((step, k) => step.map((one) => one / lengths[k]));
  const between = slopes.slice(1).map((slope, k) => {
    const [before, after] = [lengths[k], lengths[k + 1]];
    return slope.map((one, axis) => (after * slopes[k][axis] + before * one) / (before + after));
  });
  const ending = (slope, inner) => (inner ? slope.map((one, axis) => 2 * one - inner[axis]) : slope);
  const ways = [ending(slopes[0], between[0]), ...between, ending(slopes.at(-1), between.at(-1))];
  context.moveTo(...spots[0]);
  steps.forEach((_, k) => {
    const third = lengths[k] / 3;
    const [[ax, ay], [bx, by]] = [spots[k], spots[k + 1]];
    context.bezierCurveTo(
      ax + third * ways[k][0],
      ay + third * ways[k][1],
      bx - third * ways[k + 1][0],
      by - third * ways[k + 1][1],
      bx,
      by,
    );
  });
}

function drawHandle(context, [x, y], handle) {
  const chosen = bench.handles.ids.includes(handle.id);
  Object.assign(context, { fillStyle: chosen ? SPRUCE : PAPER, strokeStyle: SPRUCE, lineWidth: 1.6 });
  context.beginPath();
  if (handle.carries) pin(context, x, y);
  else if (handle.ties.length || handle.rides) context.rect(x - RADIUS, y - RADIUS, 2 * RADIUS, 2 * RADIUS);
  else context.arc(x, y, RADIUS, 0, 7);
  context.fill();
  const tie = handle.ties.find((one) => one.bone === bench.ties.brushed);
  if (tie && !chosen) {
    const { globalAlpha } = context; // that of a warp which is not chosen
    Object.assign(context, { fillStyle: bench.page.state.colours[tie.bone], globalAlpha: globalAlpha * tie.share });
    context.fill();
    context.globalAlpha = globalAlpha;
  }
  context.stroke();
}

/** A tack: a pointed diamond. */
function pin(context, x, y) {
  const size = RADIUS * 1.35;
  context.moveTo(x, y - size);
  for (const [dx, dy] of [[size, 0], [0, size], [-size, 0]]) context.lineTo(x + dx, y + dy); // prettier-ignore
  context.closePath();
}

/** Where a part with tacks was brushed stiff. */
function drawStiff(context, camera, dabs) {
  context.save();
  context.fillStyle = SPRUCE;
  for (const { place, radius, amount } of dabs) {
    context.globalAlpha = 0.16 * amount;
    context.beginPath();
    context.arc(...camera.toScreen(...place), 0.7 * radius * camera.scale, 0, 7);
    context.fill();
  }
  context.restore();
}

/** Where a handle is now: dragged, posed, or at rest. */
function placeNow(id) {
  const drag = engine.handleDrag;
  const [x, y] = bench.handles.placeOf(id);
  if (!drag || !drag.moved.has(id)) return [x, y];
  return [x + drag.moved.get(id) * drag.by[0], y + drag.by[1]];
}
