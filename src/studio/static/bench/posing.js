// The posed side of the sheet: turns, moves, back to rest, the test swing.

import { engine } from './engine.js';
import { scene } from './scene.js';
import { TOOLS } from './tools/index.js';

const FRAMES_PER_SECOND = 24;

export const posing = {
  turnOver() {
    this.stopSwing();
    if (!this.posed && TOOLS[this.toolKey].building) this.useTool('select');
    this.posed = !this.posed;
    if (this.posed) this.sendPose();
    else this.showRest();
  },
  turnOf(id) { return this.pose.turn[id] || 0; },
  moveOf(id) { return this.pose.move[id] || [0, 0]; },
  poseTurn(id, degrees) { if (this.figure.bones.some((bone) => bone.id === id && bone.locked)) { this.warn(`${this.boneName(id)} is locked; unlock it on its card first.`); return; } this.pose = { ...this.pose, turn: { ...this.pose.turn, [id]: Math.round(degrees * 100) / 100 } }; this.sendPose(); },
  poseMove(id, offset) { this.pose = { ...this.pose, move: { ...this.pose.move, [id]: offset.map((one) => Math.round(one * 10) / 10) } }; this.sendPose(); },
  setTurn(value) { if (Number.isFinite(Number(value))) this.poseTurn(this.oneBone.id, Number(value)); },
  sendPose() { engine.live.send({ revision: scene.revision, pose: JSON.parse(JSON.stringify(this.pose)), seam: this.seamWatched }); },
  toRest(how) {
    const gone = how === 'all' ? null : new Set(how === 'chain' ? this.state.chains[this.oneBone.id] : [this.oneBone.id]);
    const left = (table) => Object.fromEntries(Object.entries(table).filter(([id]) => gone && !gone.has(id)));
    this.pose = { turn: left(this.pose.turn), move: left(this.pose.move), stretch: left(this.pose.stretch || {}) };
    this.sendPose();
  },
  playSwing() {
    if (this.playing) { this.stopSwing(); return; }
    if (!this.posed) this.posed = true;
    this.playing = true;
    this.frameNumber = 0;
    engine.swing = { serial: engine.live.send({ revision: scene.revision, swing: true }), frames: [], shown: -1, clock: 0, last: performance.now() };
    requestAnimationFrame((now) => this.tick(now));
  },
  tick(now) {
    const swing = engine.swing;
    if (!this.playing || !swing) return;
    swing.clock += ((now - swing.last) / 1000) * this.speed * FRAMES_PER_SECOND;
    swing.last = now;
    const wanted = Math.min(Math.floor(swing.clock), this.state.swing.frames);
    if (wanted >= this.state.swing.frames) { this.stopSwing(); return; }
    if (wanted !== swing.shown && swing.frames[wanted]) { swing.shown = wanted; this.frameNumber = wanted; this.showFrame(swing.frames[wanted]); } else if (!swing.frames[wanted]) swing.clock = Math.max(swing.shown, 0);
    requestAnimationFrame((next) => this.tick(next));
  },
  stopSwing() {
    if (!this.playing) return;
    this.playing = false;
    engine.swing = null;
    if (this.posed) this.sendPose();
    else this.showRest();
  },
};
