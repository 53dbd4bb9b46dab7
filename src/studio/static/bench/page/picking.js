// Picking several, up and down the tree, one step in the draw order, alone.

import { bench } from './bench.js';
import { carried, scene, vertex } from './scene.js';
import { engine } from './engine.js';

/** The box between two corners: left, top, right, bottom. */
export const boxOf = ([a, b], [c, d]) => [Math.min(a, c), Math.min(b, d), Math.max(a, c), Math.max(b, d)];
export const within = (box, [x, y]) => x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3];

export const picking = {
  alone: [],
  /** What can be picked on the sheet: not what is locked while arranging, nor what another view leaves out. */
  items() {
    const locked = new Set(
      bench.page.stageKey === 'artwork'
        ? bench.page.figure.parts.filter((part) => part.locked).map((part) => part.id)
        : [],
    );
    const { stage } = engine;
    return stage
      .listed()
      .filter(
        (item) =>
          stage.opacityOf(item) > 0 && !locked.has(item.part) && (!this.alone.length || this.alone.includes(item.part)),
      );
  },
  /** The groups a part lies in, the innermost first. */
  groupsAround(part) {
    const found = [];
    for (let ref = part.group; ref;) {
      const group = bench.page.figure.groups.find((one) => one.id === ref);
      found.push(ref);
      ref = group.parent;
    }
    return found;
  },
  nearerEnd(id, point) {
    const bone = bench.page.figure.bones.find((one) => one.id === id);
    const gap = (end) => Math.hypot(point[0] - end[0], point[1] - end[1]);
    return gap(bone.tip) < gap(bone.joint) ? 'tip' : 'joint';
  },
  nearestEnd(id, point) {
    return [...bench.page.figure.bones.find((one) => one.id === id)[this.nearerEnd(id, point)]];
  },
  viewAlone(id) {
    const wanted = id ? [id] : bench.selection.selectedParts();
    const same = wanted.length === this.alone.length && wanted.every((one) => this.alone.includes(one));
    this.alone = same ? [] : wanted;
  },
  /** Everything of the kind this stage is about inside a box of the figure, as it is posed now. */
  pickBox(box, more) {
    const bones =
      ['artwork', 'delivery'].includes(bench.page.stageKey) || !bench.sheet.showBones
        ? []
        : bench.page.figure.bones
            .filter((bone) => {
              const [joint, tip] = [carried(bone.id, bone.joint), carried(bone.id, bone.tip)];
              return within(box, [(joint[0] + tip[0]) / 2, (joint[1] + tip[1]) / 2]);
            })
            .map((bone) => bone.id);
    if (bones.length) {
      bench.selection.bones = more ? [...new Set([...bench.selection.bones, ...bones])] : bones;
      bench.selection.parts = [];
      return;
    }
    const shown = new Set(
      this.items()
        .filter((item) => item.variant === 'full')
        .map((item) => item.part),
    );
    const parts = bench.page.figure.parts
      .filter((part) => {
        const block = scene.blocks[part.id];
        if (!shown.has(part.id) || !block) return false;
        let [x, y] = [0, 0];
        for (let k = 0; k < block[1]; k += 1) {
          const at = vertex(block[0] + k);
          x += at[0];
          y += at[1];
        }
        return within(box, [x / block[1], y / block[1]]);
      })
      .map((part) => part.id);
    bench.selection.bones = [];
    bench.selection.parts = more ? [...new Set([...bench.selection.parts, ...parts])] : parts;
  },
  /** A pupil, then the eye's group, then the head's, then the bone it all follows, then what that hangs on. */
  upTree() {
    if (bench.selection.bones.length) {
      const above = bench.page.figure.bones.find((one) => one.id === bench.selection.bones[0]).parent;
      if (above) bench.selection.bones = [above];
      return;
    }
    if (!bench.selection.parts.length) return;
    const first = bench.page.figure.parts.find((one) => one.id === bench.selection.parts[0]);
    const chosen = new Set(bench.selection.parts);
    for (
      let group = bench.page.figure.groups.find((one) => one.id === first.group);
      group;
      group = bench.page.figure.groups.find((one) => one.id === group.parent)
    ) {
      const members = this.membersOf(group.id);
      if (members.some((id) => !chosen.has(id))) {
        bench.selection.parts = members;
        return;
      }
    }
    const bone = bench.tree.carrierOf(first);
    if (bone) {
      bench.selection.parts = [];
      bench.selection.bones = [bone];
    }
  },
  downTree() {
    if (bench.selection.parts.length > 1) {
      bench.selection.parts = [bench.selection.parts[0]];
      return;
    }
    if (!bench.selection.bones.length) return;
    const below = bench.page.figure.bones.find((one) => one.parent === bench.selection.bones[0]);
    const part = bench.page.figure.parts.find((one) => bench.tree.carrierOf(one) === bench.selection.bones[0]);
    if (below) bench.selection.bones = [below.id];
    else if (part) {
      bench.selection.bones = [];
      bench.selection.parts = [part.id];
    }
  },
  /** All parts in a group and in the groups inside it. */
  membersOf(group) {
    const inside = new Set([group]);
    for (const one of bench.page.figure.groups) if (inside.has(one.parent)) inside.add(one.id);
    return bench.page.figure.parts.filter((part) => inside.has(part.group)).map((part) => part.id);
  },
  /** One place to the front (1) or the back (-1) in the draw order. */
  step(by) {
    if (!bench.selection.onePart) return;
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    const at = bench.page.figure.parts.indexOf(bench.selection.onePart);
    const position = Math.min(Math.max(at + by, 0), bench.page.figure.parts.length - 1);
    if (position !== at) bench.history.edit({ kind: 'order_part', part: bench.selection.onePart.id, position });
  },
};
