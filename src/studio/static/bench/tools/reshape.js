// Cut a part in two by a line across it; straighten one along a line of one's own; turn and scale a part by handles.

import { engine } from '../engine.js';
import { strokeTool } from './stroke.js';

const NEAR = 12; // px on the screen a handle is taken within
const KNOB = 28; // px on the screen the turning handle lies above the box

export const sever = strokeTool({
  key: 'sever',
  word: () => 'Cut in two',
  most: 60,
  hint: (bench) => (bench.onePart ? `Draw across ${bench.onePart.name}, from one side of it to the other.` : 'Select the part to be cut in two.'),
  done(bench, line) {
    if (!bench.onePart) { bench.warn('Select the part to be cut in two.'); return false; }
    bench.edit({ kind: 'cut_part', part: bench.onePart.id, line });
    return true;
  },
});

export const middle = strokeTool({
  key: 'middle',
  word: () => 'Straighten along',
  hint: (bench) => (bench.onePart ? `Draw down the middle of ${bench.onePart.name}, from one end to the other.` : 'Select the part to be straightened.'),
  done(bench, line) {
    if (!bench.onePart) { bench.warn('Select the part to be straightened.'); return false; }
    bench.edit({ kind: 'straighten', parts: [bench.onePart.id], line });
    return true;
  },
});

/** The corners of a part's box and the knob above it, in figure space, and what they turn about. */
export function handlesOf(part) {
  const [x, y] = part.place;
  const [w, h] = part.size;
  return { corners: [[x, y], [x + w, y], [x + w, y + h], [x, y + h]], knob: [x + w / 2, y - KNOB / engine.camera.scale], about: part.pivot || [x + w / 2, y + h / 2] };
}

export const reshape = {
  key: 'reshape',
  word: () => 'Turn, scale',
  building: true,
  hint: (bench) => (bench.onePart ? 'Drag a corner to scale, with Shift in proportion; drag the knob to turn. The drawing itself is kept.' : 'Select a part to turn or scale.'),

  down(bench, point, event) {
    const part = bench.onePart;
    if (!part) { engine.tools.select.click(bench, point, event); return; }
    const { corners, knob, about } = handlesOf(part);
    const isNear = (one) => Math.hypot(one[0] - point[0], one[1] - point[1]) * engine.camera.scale < NEAR;
    const corner = corners.find(isNear);
    const now = bench.turned;
    if (isNear(knob)) this.drag = { part: part.id, about, now, from: Math.atan2(point[1] - about[1], point[0] - about[0]), turn: 0, scale: [1, 1] };
    else if (corner) this.drag = { part: part.id, about, now, corner, turn: 0, scale: [1, 1] };
    else engine.tools.select.click(bench, point, event);
  },

  move(bench, point, event) {
    const { drag } = this;
    if (!drag) return;
    const { about } = drag;
    if (drag.corner) {
      const by = [0, 1].map((k) => (point[k] - about[k]) / (Math.abs(drag.corner[k] - about[k]) < 1 ? 1 : drag.corner[k] - about[k]));
      if (event && event.shiftKey) { const even = Math.max(Math.abs(by[0]), Math.abs(by[1])); drag.scale = by.map((one) => even * (Math.sign(one) || 1)); } else drag.scale = by;
      bench.place = drag.scale.map((one) => `${Math.round(one * 100)} %`).join(', ');
    } else {
      drag.turn = ((Math.atan2(point[1] - about[1], point[0] - about[0]) - drag.from) * 180) / Math.PI;
      bench.place = `${Math.round(drag.turn)}°`;
    }
    const [c, s] = [Math.cos((drag.turn * Math.PI) / 180), Math.sin((drag.turn * Math.PI) / 180)];
    bench.showPlaced([drag.part], (x, y) => {
      const [u, v] = [(x - about[0]) * drag.scale[0], (y - about[1]) * drag.scale[1]];
      return [about[0] + c * u - s * v, about[1] + s * u + c * v];
    });
  },

  up(bench) {
    const { drag } = this;
    this.drag = null;
    if (!drag) return;
    const moved = Math.abs(drag.turn) > 0.5 || drag.scale.some((one) => Math.abs(one - 1) > 0.005);
    if (!moved) { bench.showRest(); return; }
    bench.turnDrawing({ turn: drag.now.turn + drag.turn, scale: [drag.now.scale[0] * drag.scale[0], drag.now.scale[1] * drag.scale[1]], about: drag.about });
  },

  cancel(bench) { if (this.drag) bench.showRest(); this.drag = null; },
};
