// The bend zone on the sheet: its four ends are handles; dragging one makes its side longer or shorter.

import { engine } from '../../page/engine.js';
import { handlesOf } from '../../sheet/aids.js';

export const zone = {
  key: 'zone',
  word: () => 'Bend zone',
  building: true,
  hint: (bench) =>
    bench.zones.zones.length
      ? 'Drag an end of the zone along the limb; the inner side is the one it bends to.'
      : 'Select a bone whose joint bends a weighted part.',

  down(bench, point, event, boneId) {
    const near = 14 / engine.camera.scale;
    const hit = handlesOf(bench.zones.zones).find(
      (one) => Math.hypot(one.at[0] - point[0], one.at[1] - point[1]) < near,
    );
    if (hit) {
      this.drag = { hit, length: hit.length };
      return;
    }
    if (boneId) bench.selection.pickBone(boneId, event);
  },
  move(bench, point) {
    if (!this.drag) return;
    const { hit } = this.drag;
    const along = (point[0] - hit.joint[0]) * hit.direction[0] + (point[1] - hit.joint[1]) * hit.direction[1];
    this.drag.length = Math.min(Math.max(along / (hit.width / 2), 0.2), 8);
    bench.zones.zones = bench.zones.zones.map((one) => ({ ...one, [hit.side]: this.drag.length }));
    bench.pointer.place = `${hit.side} ${this.drag.length.toFixed(2)} limb widths, ${Math.round(this.drag.length * hit.width)} px`;
    bench.sheet.redraw();
  },
  up(bench) {
    const { drag } = this;
    this.drag = null;
    if (drag)
      bench.history.edit({
        kind: 'set_zone',
        bone: bench.selection.oneBone.id,
        [drag.hit.side]: Math.round(drag.length * 100) / 100,
      });
  },
  cancel(bench) {
    if (this.drag) bench.zones.loadZones();
    this.drag = null;
  },
};
