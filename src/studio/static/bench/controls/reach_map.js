// The reach map: what a limb does over the area its goal can be dragged to, laid over the sheet.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

// what the letters of a map mean: words, colour, how much of the art it covers
const KINDS = {
  h: { words: 'at its limits', colour: '#B3801F', alpha: 0.34 },
  s: { words: 'stretched', colour: '#2F6DB0', alpha: 0.24 },
  w: { words: 'bent the wrong way', colour: '#7A3B69', alpha: 0.42 },
  j: { words: 'jumps', colour: '#B0302B', alpha: 0.55 },
};

export const reachMap = {
  found: null, // the map, with the id of its reach
  asked: 0,
  get shown() {
    return Boolean(this.found && bench.reaches.one && this.found.reach === bench.reaches.one.id);
  },
  get sentences() {
    if (!this.shown) return [];
    return this.found.sentences.length ? this.found.sentences : ['It does no harm wherever it reaches.'];
  },
  /** The kinds of places that are on it. */
  get legend() {
    if (!this.shown) return [];
    const there = this.found.rows.join('');
    return Object.entries(KINDS)
      .filter(([letter]) => there.includes(letter))
      .map(([letter, { words }]) => ({ key: letter, words, look: `map-${letter}` }));
  },
  async toggle() {
    const on = this.shown;
    this.found = null;
    if (!on) await this.load();
    bench.sheet.redraw();
  },
  async load() {
    const reach = bench.reaches.one.id;
    this.asked += 1;
    const { asked } = this;
    const body = JSON.stringify({ reach, pose: bench.posing.posed ? bench.posing.pose : { channels: {} } });
    const path = `/bench/${bench.page.figureId}/reach-map/${scene.revision}/`;
    const answer = await fetchJson(path, { method: 'POST', body });
    if (asked !== this.asked) return;
    if (answer.ok) this.found = { reach, ...answer.data };
    else bench.page.warn(answer.data.sentence);
  },
  /** A new state of the figure: the map is of the one before. */
  taken() {
    if (this.shown) this.load().then(() => bench.sheet.redraw());
    else this.found = null;
  },
};

/** Where the kind of place changes, as lines of the grid: [x, y, x, y] in places. */
export function bordersOf(rows) {
  const lines = [];
  rows.forEach((row, y) => {
    for (let x = 0; x < row.length; x += 1) {
      if (x + 1 < row.length && row[x] !== row[x + 1]) lines.push([x + 1, y, x + 1, y + 1]);
      if (y + 1 < rows.length && row[x] !== rows[y + 1][x]) lines.push([x, y + 1, x + 1, y + 1]);
    }
  });
  return lines;
}

export function drawReachMap(context, camera) {
  if (!bench.reachMap.shown) return;
  const { rows, start, step } = bench.reachMap.found;
  const at = (x, y) => camera.toScreen(start[0] + (x - 0.5) * step, start[1] + (y - 0.5) * step);
  context.save();
  rows.forEach((row, y) => {
    for (let x = 0; x < row.length; x += 1) {
      const kind = KINDS[row[x]];
      if (!kind) continue;
      const [left, top] = at(x, y);
      const [right, bottom] = at(x + 1, y + 1);
      Object.assign(context, { globalAlpha: kind.alpha, fillStyle: kind.colour });
      context.fillRect(left, top, right - left, bottom - top);
    }
  });
  context.globalAlpha = 0.9;
  context.beginPath();
  for (const [a, b, c, d] of bordersOf(rows)) {
    context.moveTo(...at(a, b));
    context.lineTo(...at(c, d));
  }
  Object.assign(context, { strokeStyle: '#4A4E57', lineWidth: 1.2, lineCap: 'square' });
  context.stroke();
  context.restore();
}
