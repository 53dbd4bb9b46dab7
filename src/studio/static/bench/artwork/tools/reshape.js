// Cut a part in two by a line across it; straighten one along a line of one's own; turn and scale a part by handles.

import { engine } from '../../page/engine.js';
import { strokeTool } from '../../sheet/tools/stroke.js';

const NEAR = 12; // px on the screen a handle is taken within
const KNOB = 28; // px on the screen the turning handle lies above the box

export const sever = strokeTool({
  key: 'sever',
  word: () => 'Cut in two',
  most: 60,
  hint: (bench) =>
    bench.selection.onePart
      ? `Draw across ${bench.selection.onePart.name}, from one side of it to the other.`
      : 'Select the part to be cut in two.',
  done(bench, line) {
    if (!bench.selection.onePart) {
      bench.page.warn('Select the part to be cut in two.');
      return false;
    }
    bench.history.edit({ kind: 'cut_part', part: bench.selection.onePart.id, line });
    return true;
  },
});

export const middle = strokeTool({
  key: 'middle',
  word: () => 'Straighten along',
  hint: (bench) =>
    bench.selection.onePart
      ? `Draw down the middle of ${bench.selection.onePart.name}, from one end to the other.`
      : 'Select the part to be straightened.',
  done(bench, line) {
    if (!bench.selection.onePart) {
      bench.page.warn('Select the part to be straightened.');
      return false;
    }
    bench.history.edit({ kind: 'straighten', parts: [bench.selection.onePart.id], line });
    return true;
  },
});

/** A spot of the figure (x, y) turned by so many rad about another. */
/** A point turned about another. @param {number[]} point @param {number[]} about @param {number} by rad */
function turnedAbout([x, y], [ax, ay], by) {
  const [c, s] = [Math.cos(by), Math.sin(by)];
  return [ax + c * (x - ax) - s * (y - ay), ay + s * (x - ax) + c * (y - ay)];
}

/** The corners of a part's box as it is turned, the knob above it, in figure space, what they turn about and how far
 * they are turned (rad). The numbers of a turned part are told of the drawing it was turned from. */
export function handlesOf(part) {
  const last = part.drawing.remade[part.drawing.remade.length - 1];
  const turned = last && last.kind === 'turned' ? last : null;
  const [x, y] = turned
    ? [part.drawing.place[0] + turned.offset[0], part.drawing.place[1] + turned.offset[1]]
    : part.drawing.place;
  const [w, h] = turned ? turned.size : part.drawing.size;
  const about = turned ? [x + turned.about[0], y + turned.about[1]] : part.drawing.pivot || [x + w / 2, y + h / 2];
  const [sx, sy] = turned ? turned.scale : [1, 1];
  const angle = turned ? (turned.turn * Math.PI) / 180 : 0;
  const lifted = KNOB / engine.camera.scale / (sy || 1);
  const placed = ([px, py]) =>
    turnedAbout([about[0] + sx * (px - about[0]), about[1] + sy * (py - about[1])], about, angle);
  return {
    corners: [
      [x, y],
      [x + w, y],
      [x + w, y + h],
      [x, y + h],
    ].map(placed),
    knob: placed([x + w / 2, y - Math.abs(lifted)]),
    about,
    angle,
  };
}

export const reshape = {
  key: 'reshape',
  word: () => 'Turn, scale',
  building: true,
  hint: (bench) =>
    bench.selection.onePart
      ? 'Drag a corner to scale, with Shift in proportion; drag the knob to turn. The drawing itself is kept.'
      : 'Select a part to turn or scale.',

  down(bench, point, event) {
    const part = bench.selection.onePart;
    if (!part) {
      engine.tools.select.click(bench, point, event);
      return;
    }
    const { corners, knob, about, angle } = handlesOf(part);
    const isNear = (one) => Math.hypot(one[0] - point[0], one[1] - point[1]) * engine.camera.scale < NEAR;
    const corner = corners.find(isNear);
    const now = bench.shape.turned;
    if (isNear(knob))
      this.drag = {
        part: part.id,
        about,
        angle,
        now,
        from: Math.atan2(point[1] - about[1], point[0] - about[0]),
        turn: 0,
        scale: [1, 1],
      };
    else if (corner)
      this.drag = {
        part: part.id,
        about,
        angle,
        now,
        corner: turnedAbout(corner, about, -angle),
        turn: 0,
        scale: [1, 1],
      };
    else engine.tools.select.click(bench, point, event);
  },

  move(bench, point, event) {
    const { drag } = this;
    if (!drag) return;
    const { about, angle } = drag;
    if (drag.corner) {
      const straight = turnedAbout(point, about, -angle);
      const by = [0, 1].map(
        (k) => (straight[k] - about[k]) / (Math.abs(drag.corner[k] - about[k]) < 1 ? 1 : drag.corner[k] - about[k]),
      );
      if (event && event.shiftKey) {
        const even = Math.max(Math.abs(by[0]), Math.abs(by[1]));
        drag.scale = by.map((one) => even * (Math.sign(one) || 1));
      } else drag.scale = by;
      bench.pointer.place = drag.scale.map((one) => `${Math.round(one * 100)} %`).join(', ');
    } else {
      drag.turn = ((Math.atan2(point[1] - about[1], point[0] - about[0]) - drag.from) * 180) / Math.PI;
      bench.pointer.place = `${Math.round(drag.turn)}°`;
    }
    const on = angle + (drag.turn * Math.PI) / 180;
    bench.sheet.showPlaced([drag.part], (x, y) => {
      const [u, v] = turnedAbout([x, y], about, -angle);
      return turnedAbout(
        [about[0] + (u - about[0]) * drag.scale[0], about[1] + (v - about[1]) * drag.scale[1]],
        about,
        on,
      );
    });
  },

  up(bench) {
    const { drag } = this;
    this.drag = null;
    if (!drag) return;
    const moved = Math.abs(drag.turn) > 0.5 || drag.scale.some((one) => Math.abs(one - 1) > 0.005);
    if (!moved) {
      bench.sheet.showRest();
      return;
    }
    bench.shape.turnDrawing({
      turn: drag.now.turn + drag.turn,
      scale: [drag.now.scale[0] * drag.scale[0], drag.now.scale[1] * drag.scale[1]],
      about: drag.about,
    });
  },

  cancel(bench) {
    if (this.drag) bench.sheet.showRest();
    this.drag = null;
  },
};
