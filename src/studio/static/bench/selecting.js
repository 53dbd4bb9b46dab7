// What is selected: by boxes, by what lies beneath, up and down the tree; and the place in the draw order by key.

import { carried, scene, vertex } from './scene.js';

const within = (box, [x, y]) => x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3];

export const selecting = {
  /** Everything of the kind this stage is about inside a box of the figure, as it is posed now. */
  pickBox(box, more) {
    const bones = ['artwork', 'delivery'].includes(this.stageKey) || !this.showBones ? [] : this.figure.bones.filter((bone) => {
      const [joint, tip] = [carried(bone.id, bone.joint), carried(bone.id, bone.tip)];
      return within(box, [(joint[0] + tip[0]) / 2, (joint[1] + tip[1]) / 2]);
    }).map((bone) => bone.id);
    if (bones.length) {
      this.bones = more ? [...new Set([...this.bones, ...bones])] : bones;
      this.parts = [];
      return;
    }
    const shown = new Set(this.items().filter((item) => item.variant === 'full').map((item) => item.part));
    const parts = this.figure.parts.filter((part) => {
      const block = scene.blocks[part.id];
      if (!shown.has(part.id) || !block) return false;
      let [x, y] = [0, 0];
      for (let k = 0; k < block[1]; k += 1) { const at = vertex(block[0] + k); x += at[0]; y += at[1]; }
      return within(box, [x / block[1], y / block[1]]);
    }).map((part) => part.id);
    this.bones = [];
    this.parts = more ? [...new Set([...this.parts, ...parts])] : parts;
  },
  /** A pupil, then the eye's group, then the head's, then the bone it all follows, then what that hangs on. */
  upTree() {
    if (this.bones.length) {
      const above = this.figure.bones.find((one) => one.id === this.bones[0]).parent;
      if (above) this.bones = [above];
      return;
    }
    if (!this.parts.length) return;
    const first = this.figure.parts.find((one) => one.id === this.parts[0]);
    const chosen = new Set(this.parts);
    for (let group = this.figure.groups.find((one) => one.id === first.group); group; group = this.figure.groups.find((one) => one.id === group.parent)) {
      const members = this.membersOf(group.id);
      if (members.some((id) => !chosen.has(id))) { this.parts = members; return; }
    }
    const bone = this.carrierOf(first);
    if (bone) { this.parts = []; this.bones = [bone]; }
  },
  downTree() {
    if (this.parts.length > 1) { this.parts = [this.parts[0]]; return; }
    if (!this.bones.length) return;
    const below = this.figure.bones.find((one) => one.parent === this.bones[0]);
    const part = this.figure.parts.find((one) => this.carrierOf(one) === this.bones[0]);
    if (below) this.bones = [below.id];
    else if (part) { this.bones = []; this.parts = [part.id]; }
  },
  /** All parts in a group and in the groups inside it. */
  membersOf(group) {
    const inside = new Set([group]);
    for (const one of this.figure.groups) if (inside.has(one.parent)) inside.add(one.id);
    return this.figure.parts.filter((part) => inside.has(part.group)).map((part) => part.id);
  },
  /** One place to the front (1) or the back (-1) in the draw order. */
  step(by) {
    if (!this.onePart) return;
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    const at = this.figure.parts.indexOf(this.onePart);
    const position = Math.min(Math.max(at + by, 0), this.figure.parts.length - 1);
    if (position !== at) this.edit({ kind: 'order_part', part: this.onePart.id, position });
  },
};
