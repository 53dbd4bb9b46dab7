// What chains meet: colliders as pencil outlines, the wind as a vane one turns and pulls.

import { bench } from '../page/bench.js';
import { carried } from '../page/scene.js';

const VANE = [70, 150]; // px of the window, where the vane stands
const PX_A_PX = 0.06; // of the vane for each px/s
const GRIP = 12;
const MOST = 3000; // px/s that can be pulled

export const around = {
  pulled: null, // the wind while it is pulled, [towards, strength]
  /** @type {{ id: string, bone: string, start: number[], end: number[], radius: number } | null} */
  tried: null, // a collider while it is dragged
  get wind() {
    return (bench.page.figure && bench.page.figure.wind) || null;
  },
  get colliders() {
    return bench.page.figure ? bench.page.figure.colliders : [];
  },
  get colliderWords() {
    const count = this.colliders.length;
    return count
      ? `${count} collider${count > 1 ? 's' : ''} keep chains out.`
      : 'None yet: chains go through everything.';
  },
  get rows() {
    return this.colliders.map(({ id, name, radius }) => ({
      id: `collider-${id}`,
      of: id,
      name,
      radius: Math.round(radius),
      off: `Take the collider ${name} off`,
    }));
  },
  lay() {
    const bones = bench.selection.bones.length > 1 ? bench.selection.bones : [];
    bench.history.edit({ kind: 'lay_colliders', bones });
  },
  layHere() {
    bench.history.edit({ kind: 'lay_colliders', bones: bench.selection.bones });
  },
  setRadius(row, value) {
    if (Number(value) > 0) bench.history.edit({ kind: 'set_collider', collider: row.of, radius: Number(value) });
  },
  get floor() {
    return (bench.page.figure && bench.page.figure.floor) || null;
  },
  setFloor(on) {
    bench.history.edit({ kind: 'set_floor', on });
  },
  setLevel(value) {
    if (value !== '' && Number.isFinite(Number(value)))
      bench.history.edit({ kind: 'set_floor', at: [0, Number(value)] });
  },
  lift(row) {
    bench.history.edit({ kind: 'lift_colliders', colliders: [row.of] });
  },
  liftAll() {
    bench.history.edit({ kind: 'lift_colliders' });
  },
  setWind(name, value) {
    if (Number.isFinite(Number(value))) bench.history.edit({ kind: 'set_wind', [name]: Number(value) });
  },
  blow() {
    bench.history.edit({ kind: 'set_wind' });
  },
  calm() {
    bench.history.edit({ kind: 'set_wind', strength: 0 });
  },
  /** Where the vane points, in px of the window from where it stands. */
  get arrow() {
    const [towards, strength] = this.pulled || (this.wind ? [this.wind.towards, this.wind.strength] : [0, 0]);
    const turn = (towards * Math.PI) / 180;
    const long = 24 + strength * PX_A_PX;
    return [long * Math.cos(turn), long * Math.sin(turn)];
  },
  get gripStyle() {
    const [x, y] = this.arrow;
    return { left: `${VANE[0] + x - GRIP}px`, top: `${VANE[1] + y - GRIP}px` };
  },
  get shaftStyle() {
    const [x, y] = this.arrow;
    return {
      left: `${VANE[0]}px`,
      top: `${VANE[1]}px`,
      width: `${Math.hypot(x, y)}px`,
      transform: `rotate(${(Math.atan2(y, x) * 180) / Math.PI}deg)`,
    };
  },
  get vaneShows() {
    return bench.page.stageKey === 'follow' && Boolean(this.wind) && !bench.sheet.cleanLook;
  },
  get vaneWords() {
    const [towards, strength] = this.pulled || [this.wind.towards, this.wind.strength];
    return `wind ${Math.round(strength)} px/s, ${Math.round(towards)}°`;
  },
  press(event) {
    event.target.setPointerCapture(event.pointerId);
    this.pulled = [this.wind.towards, this.wind.strength];
  },
  drag(event) {
    if (!this.pulled) return;
    const box = document.getElementById('sheet').getBoundingClientRect();
    const [x, y] = [event.clientX - box.left - VANE[0], event.clientY - box.top - VANE[1]];
    const strength = Math.min(Math.max((Math.hypot(x, y) - 24) / PX_A_PX, 0), MOST);
    this.pulled = [Math.round((Math.atan2(y, x) * 180) / Math.PI), Math.round(strength / 10) * 10];
  },
  release() {
    if (!this.pulled) return;
    const [towards, strength] = this.pulled;
    this.pulled = null;
    bench.history.edit({ kind: 'set_wind', towards, strength });
  },
};

/** Colliders where their bones carry them, as pencil lines. */
export function drawColliders(context, camera) {
  context.save();
  context.strokeStyle = context.fillStyle = 'rgba(70, 66, 60, .75)';
  context.setLineDash([6, 4]);
  context.lineWidth = 1.25;
  const { floor } = bench.around;
  if (floor) {
    const [, y] = camera.toScreen(...floor.at);
    context.beginPath();
    context.moveTo(0, y);
    context.lineTo(context.canvas.clientWidth, y);
    context.stroke();
  }
  const { tried } = bench.around;
  for (const known of bench.around.colliders) {
    const one = tried && tried.id === known.id ? tried : known;
    const place = (spot) => camera.toScreen(...carried(one.bone, spot));
    const [[ax, ay], [bx, by]] = [place(one.start), place(one.end)];
    const turn = Math.atan2(by - ay, bx - ax);
    const radius = one.radius * camera.scale;
    context.beginPath();
    context.arc(ax, ay, radius, turn + Math.PI / 2, turn + (3 * Math.PI) / 2);
    context.arc(bx, by, radius, turn - Math.PI / 2, turn + Math.PI / 2);
    context.closePath();
    context.stroke();
    if (bench.tools.toolKey !== 'collider' || (ax === bx && ay === by)) continue;
    for (const [x, y] of [
      [ax, ay],
      [bx, by],
    ]) {
      context.beginPath();
      context.arc(x, y, 4, 0, 7);
      context.fill();
    }
  }
  context.restore();
}
