// The posed side of the sheet: channels of what is posed.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { scene } from '../page/scene.js';
import { parted } from '../page/address.js';

export const posing = {
  posed: false,
  pose: { channels: {} },
  get showsPose() {
    return bench.page.stageKey !== 'delivery' && this.posed && Boolean(bench.selection.oneBone);
  },
  get boneTurn() {
    return bench.selection.oneBone ? Math.round(this.turnOf(bench.selection.oneBone.id) * 10) / 10 : 0;
  },
  turnOver() {
    bench.playing.stopSwing();
    if (!this.posed && bench.toolset[bench.tools.toolKey].building) bench.tools.useTool('select');
    this.posed = !this.posed;
    if (this.posed) this.sendPose();
    else bench.sheet.showRest();
  },
  /** A quantity that can be posed, as the server tells it: word, unit, rest, ends. */
  quantity(name) {
    return (bench.page.state && bench.page.state.quantities[name]) || { word: '', unit: '', rest: 0, low: 0, high: 0 };
  },
  quantityWords(name) {
    const { word, unit } = this.quantity(name);
    return `${word.charAt(0).toUpperCase()}${word.slice(1)}${unit ? `, ${unit}` : ''}`;
  },
  /** The value of a channel in the pose; what is not named is at rest. */
  channel(id, name) {
    const value = this.pose.channels[`${id}.${name}`];
    return value === undefined ? this.quantity(name).rest : value;
  },
  setChannels(id, values) {
    const named = Object.fromEntries(Object.entries(values).map(([name, value]) => [`${id}.${name}`, value]));
    this.pose = { channels: { ...this.pose.channels, ...named } };
    this.sendPose();
  },
  /** Only the channels of some things, or of some quantities, stay in the pose. */
  keepChannels(test) {
    const entries = Object.entries(this.pose.channels).filter(([address]) => {
      return test(...parted(address));
    });
    this.pose = { channels: Object.fromEntries(entries) };
  },
  turnOf(id) {
    return this.channel(id, 'turn');
  },
  moveOf(id) {
    return [this.channel(id, 'move.x'), this.channel(id, 'move.y')];
  },
  poseTurn(id, degrees) {
    if (bench.page.figure.bones.some((bone) => bone.id === id && bone.locked)) {
      bench.page.warn(`${bench.page.boneName(id)} is locked; unlock it on its card first.`);
      return;
    }
    this.setChannels(id, { turn: Math.round(degrees * 100) / 100 });
  },
  poseMove(id, offset) {
    const [x, y] = offset.map((one) => Math.round(one * 10) / 10);
    this.setChannels(id, { 'move.x': x, 'move.y': y });
  },
  setTurn(value) {
    if (Number.isFinite(Number(value))) this.poseTurn(bench.selection.oneBone.id, Number(value));
  },
  sendPose() {
    engine.live.send({
      seen: scene.revision,
      pose: JSON.parse(JSON.stringify(this.pose)),
      seam: bench.liveSeam.seamWatched,
      grip: bench.placing.gripped,
      steps: bench.steps.asked,
      frame: bench.keying.frameAsked,
      springs: bench.springs.asked,
    });
  },
  toRest(how) {
    const gone =
      how === 'all'
        ? null
        : new Set(how === 'chain' ? bench.page.state.chains[bench.selection.oneBone.id] : [bench.selection.oneBone.id]);
    this.keepChannels((id) => gone && !gone.has(id));
    this.sendPose();
  },
  get boneStretch() {
    const of = (which) => (bench.selection.oneBone ? this.channel(bench.selection.oneBone.id, `stretch.${which}`) : 1);
    return { along: of('along'), across: of('across') };
  },
  get isPosed() {
    return Object.keys(this.pose.channels).length > 0;
  },
  takePose() {
    bench.history.edit({ kind: 'take_pose', pose: JSON.parse(JSON.stringify(this.pose)) });
    this.pose = { channels: {} };
  },
  setStretch(which, value) {
    const { rest, low, high } = this.quantity(`stretch.${which}`);
    this.setChannels(bench.selection.oneBone.id, {
      [`stretch.${which}`]: Math.min(Math.max(Number(value) || rest, low), high),
    });
  },
  /** Back to rest for one kind of posing only. */
  kindToRest(kind) {
    this.keepChannels((id, name) => name.split('.')[0] !== kind);
    this.sendPose();
  },
};
