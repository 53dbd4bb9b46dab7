// The posed side of the sheet: turns, moves, back to rest, the test swing.

import { engine } from './engine.js';
import { scene } from './scene.js';
import { TOOLS } from './tools/index.js';

export const posing = {
  turnOver() {
    this.stopSwing();
    if (!this.posed && TOOLS[this.toolKey].building) this.useTool('select');
    this.posed = !this.posed;
    if (this.posed) this.sendPose();
    else this.showRest();
  },
  /** A quantity that can be posed, as the server tells it: word, unit, rest, ends. */
  quantity(name) { return (this.state && this.state.quantities[name]) || { word: '', unit: '', rest: 0, low: 0, high: 0 }; },
  quantityWords(name) { const { word, unit } = this.quantity(name); return `${word.charAt(0).toUpperCase()}${word.slice(1)}, ${unit}`; },
  /** The value of a channel in the pose; what is not named is at rest. */
  channel(id, name) { const value = this.pose.channels[`${id}.${name}`]; return value === undefined ? this.quantity(name).rest : value; },
  setChannels(id, values) {
    const named = Object.fromEntries(Object.entries(values).map(([name, value]) => [`${id}.${name}`, value]));
    this.pose = { channels: { ...this.pose.channels, ...named } };
    this.sendPose();
  },
  /** Only the channels of some things, or of some quantities, stay in the pose. */
  keepChannels(test) {
    const entries = Object.entries(this.pose.channels).filter(([address]) => { const dot = address.indexOf('.'); return test(address.slice(0, dot), address.slice(dot + 1)); });
    this.pose = { channels: Object.fromEntries(entries) };
  },
  turnOf(id) { return this.channel(id, 'turn'); },
  moveOf(id) { return [this.channel(id, 'move.x'), this.channel(id, 'move.y')]; },
  poseTurn(id, degrees) {
    if (this.figure.bones.some((bone) => bone.id === id && bone.locked)) { this.warn(`${this.boneName(id)} is locked; unlock it on its card first.`); return; }
    this.setChannels(id, { turn: Math.round(degrees * 100) / 100 });
  },
  poseMove(id, offset) { const [x, y] = offset.map((one) => Math.round(one * 10) / 10); this.setChannels(id, { 'move.x': x, 'move.y': y }); },
  setTurn(value) { if (Number.isFinite(Number(value))) this.poseTurn(this.oneBone.id, Number(value)); },
  sendPose() { engine.live.send({ revision: scene.revision, pose: JSON.parse(JSON.stringify(this.pose)), seam: this.seamWatched }); },
  toRest(how) {
    const gone = how === 'all' ? null : new Set(how === 'chain' ? this.state.chains[this.oneBone.id] : [this.oneBone.id]);
    this.keepChannels((id) => gone && !gone.has(id));
    this.sendPose();
  },
  /** What the figure can be played through: the test swing, and into each kept pose. */
  get motions() { return this.state ? this.state.motions : []; },
  get motionName() { return this.motions.some((one) => one.name === this.motionAsked) ? this.motionAsked : 'test swing'; },
  get motionFrames() { const found = this.motions.find((one) => one.name === this.motionName); return found ? found.frames : 0; },
  get motionWords() {
    if (!this.state) return '';
    const what = this.motionName === 'test swing' ? 'Turns what springs hang on left and right, then holds still' : 'From rest into the kept pose, held there, and back';
    return `${what}: ${Math.round(this.motionFrames / this.state.rate)} s at ${this.state.rate} frames per second.`;
  },
  chooseMotion(name) { this.stopSwing(); this.motionAsked = name; },
  playSwing() {
    if (this.playing) { this.stopSwing(); return; }
    if (!this.posed) this.posed = true;
    this.playing = true;
    this.frameNumber = 0;
    engine.swing = { serial: engine.live.send({ revision: scene.revision, swing: true, motion: this.motionName }), frames: [], shown: -1, clock: 0, last: performance.now() };
    requestAnimationFrame((now) => this.tick(now));
  },
  tick(now) {
    const swing = engine.swing;
    if (!this.playing || !swing) return;
    swing.clock += ((now - swing.last) / 1000) * this.speed * this.state.rate;
    swing.last = now;
    const wanted = Math.min(Math.floor(swing.clock), this.motionFrames);
    if (wanted >= this.motionFrames) { this.stopSwing(); return; }
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
