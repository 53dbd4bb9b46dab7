// Parts and groups posed by themselves, on top of what they follow.

import { bench } from '../page/bench.js';

const FIELDS = ['turn', 'move.x', 'move.y', 'size.x', 'size.y', 'skew', 'opacity', 'forward'];

export const placing = {
  chosen: {}, // what dragging a part's art moves, by part, where a person said so
  /** What dragging the art of the chosen part moves: its bone, itself, or its group. */
  get moves() {
    const part = bench.selection.onePart;
    return part ? this.chosen[part.id] || this.usual(part) : 'part';
  },
  /** A limb is turned with its bone; what merely lies on something is moved by itself. */
  usual(part) {
    const bone = this.boneOf(part);
    if (!bone) return 'part';
    const [x, y] = part.drawing.place;
    const [w, h] = part.drawing.size;
    const within = bone.joint[0] >= x && bone.joint[0] <= x + w && bone.joint[1] >= y && bone.joint[1] <= y + h;
    return within ? 'bone' : 'part';
  },
  /** The bone a part follows, or follows most at its root. */
  boneOf(part) {
    const { binding } = part;
    const id = binding.kind === 'rigid' ? binding.bone : binding.kind === 'weighted' ? binding.influences.at(-1) : null;
    return bench.page.figure.bones.find((one) => one.id === id) || null;
  },
  get choices() {
    const part = bench.selection.onePart;
    if (!part) return [];
    const bone = this.boneOf(part);
    const group = bench.selection.partGroup;
    return [
      ...(bone ? [{ key: 'bone', word: `its bone ${bone.name}`, id: bone.id }] : []),
      { key: 'part', word: 'itself', id: part.id },
      ...(group ? [{ key: 'group', word: `its group ${group.name}`, id: group.id }] : []),
    ].map((one) => ({ ...one, on: one.key === this.moves }));
  },
  get grip() {
    return this.choices.find((one) => one.on) || null;
  },
  /** The part or group that is posed by itself and whose place the server shall tell. */
  get gripped() {
    return bench.posing.posed && this.grip && this.grip.key !== 'bone' ? this.grip.id : null;
  },
  choose(key) {
    this.chosen = { ...this.chosen, [bench.selection.onePart.id]: key };
    bench.posing.sendPose();
  },
  next() {
    const { choices } = this;
    if (choices.length) this.choose(choices[(choices.findIndex((one) => one.on) + 1) % choices.length].key);
  },
  get shown() {
    return bench.posing.posed && Boolean(bench.selection.onePart) && bench.page.stageKey !== 'delivery';
  },
  get rows() {
    const { grip } = this;
    if (!grip || grip.key === 'bone') return [];
    return FIELDS.map((name) => {
      const { low, high } = bench.posing.quantity(name);
      const value = Math.round(bench.posing.channel(grip.id, name) * 1000) / 1000;
      const step = name.startsWith('size') || name === 'opacity' ? 0.05 : 1;
      return { name, id: `placed-${name}`, word: bench.posing.quantityWords(name), value, low, high, step };
    });
  },
  set(name, value) {
    if (value !== '' && Number.isFinite(Number(value)))
      bench.posing.setChannels(this.grip.id, { [name]: Number(value) });
  },
  toRest() {
    const { id } = this.grip;
    bench.posing.keepChannels((one, name) => one !== id || name === 'shows');
    bench.posing.sendPose();
  },
  get words() {
    const { grip } = this;
    if (!grip) return '';
    if (grip.key === 'bone') return `Dragging the art turns ${grip.word}; E changes that.`;
    const what = grip.key === 'part' ? bench.selection.onePart.name : grip.word.replace('its', 'the');
    return `Dragging the art moves ${what}, with Shift turns it, with Alt sizes it; E changes what.`;
  },
};
