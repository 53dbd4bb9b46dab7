// Set a part's pivot by a click, and try the turn: drag the part, it turns about its pivot and falls back on release.

import { scene } from '../scene.js';
import { partAt } from '../picking.js';

export const pivot = {
  key: 'pivot',
  word: () => 'Pivot',
  building: true,
  aiming: true,
  byKeys: true,
  hint: (bench) => (bench.onePart ? `Click where ${bench.onePart.name} turns.` : 'Select a part, then click where it turns.'),

  down(bench, point) {
    if (!bench.onePart) { partAt(bench.items(), point).then((part) => part && bench.pickPart(part)); return; }
    bench.edit({ kind: 'set_pivot', part: bench.onePart.id, to: point.map((one) => Math.round(one * 10) / 10) });
  },

  move() {},
  up() {},
  cancel() {},
};

export const turn = {
  key: 'turn',
  word: () => 'Try the turn',
  building: true,
  hint: (bench) => (bench.pivot ? 'Drag: the part turns about its pivot and falls back when you let go.' : 'Drag a part; it needs a pivot, or an overlap that suggests one.'),

  down(bench, point) {
    this.drag = null;
    this.held = true;
    partAt(bench.items(), point).then((part) => {
      if (!this.held) return;
      if (part && !bench.parts.includes(part)) bench.pickPart(part);
      const about = bench.pivot || bench.readings.suggestedPivot;
      if (!about) { bench.warn('Set the pivot of this part first, or let it be suggested.'); return; }
      this.drag = { parts: bench.selectedParts(), about, last: Math.atan2(point[1] - about[1], point[0] - about[0]), degrees: 0 };
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
    bench.place = `${Math.round(drag.degrees)}°`;
    bench.showTurned(drag.parts, drag.about, drag.degrees);
  },

  up(bench) { if (this.drag) bench.showRest(); this.drag = null; this.held = false; },
  cancel(bench) { this.up(bench); },
};
