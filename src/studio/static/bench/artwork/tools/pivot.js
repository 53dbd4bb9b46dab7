// Set a part's pivot by a click, and try the turn: drag the part, it turns about its pivot and falls back on release.

import { scene } from '../../page/scene.js';
import { partAt } from '../../sheet/picking.js';

export const pivot = {
  key: 'pivot',
  word: () => 'Pivot',
  building: true,
  aiming: true,
  byKeys: true,
  hint: (bench) =>
    bench.selection.onePart
      ? `Click where ${bench.selection.onePart.name} turns.`
      : 'Select a part, then click where it turns.',

  down(bench, point) {
    if (!bench.selection.onePart) {
      partAt(bench.picking.items(), point).then((part) => part && bench.selection.pickPart(part));
      return;
    }
    bench.history.edit({
      kind: 'set_pivot',
      part: bench.selection.onePart.id,
      to: point.map((one) => Math.round(one * 10) / 10),
    });
  },

  move() {},
  up() {},
  cancel() {},
};

export const turn = {
  key: 'turn',
  word: () => 'Try the turn',
  building: true,
  hint: (bench) =>
    bench.shape.pivot
      ? 'Drag: the part turns about its pivot and falls back when you let go.'
      : 'Drag a part; it needs a pivot, or an overlap that suggests one.',

  down(bench, point) {
    this.drag = null;
    this.held = true;
    partAt(bench.picking.items(), point).then((part) => {
      if (!this.held) return;
      if (part && !bench.selection.parts.includes(part)) bench.selection.pickPart(part);
      const about = bench.shape.pivot || bench.ink.readings.suggestedPivot;
      if (!about) {
        bench.page.warn('Set the pivot of this part first, or let it be suggested.');
        return;
      }
      this.drag = {
        parts: bench.selection.selectedParts(),
        about,
        last: Math.atan2(point[1] - about[1], point[0] - about[0]),
        degrees: 0,
      };
    });
  },

  move(bench, point) {
    const { drag } = this;
    if (!drag || !scene.geometry) return;
    const angle = Math.atan2(point[1] - drag.about[1], point[0] - drag.about[0]);
    let step = angle - drag.last;
    step -= 2 * Math.PI * Math.round(step / (2 * Math.PI));
    drag.last = angle;
    drag.degrees += (step * 180) / Math.PI;
    bench.pointer.place = `${Math.round(drag.degrees)}°`;
    bench.sheet.showTurned(drag.parts, drag.about, drag.degrees);
  },

  up(bench) {
    if (this.drag) bench.sheet.showRest();
    this.drag = null;
    this.held = false;
  },
  cancel(bench) {
    this.up(bench);
  },
};
