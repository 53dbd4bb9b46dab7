// The tools at hand, and every action by its key.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

export const tools = {
  toolKey: 'select',
  draftCount: 0,
  get aiming() {
    return Boolean(bench.toolset[this.toolKey].aiming);
  },
  get tools() {
    const off = !bench.page.mayBuild;
    const tool = (key) => {
      const one = bench.toolset[key];
      const barred = Boolean(one.building) && off;
      return {
        key,
        word: one.word(bench),
        on: this.toolKey === key,
        off: barred,
        why: barred ? bench.page.whyNot : '',
      };
    };
    const view = (key, word, on) => ({ key, word, on, off: false, why: '' });
    const { stage } = bench.page;
    const list = [tool('select'), ...(stage.bar ? stage.bar(tool, view) : [])];
    if (bench.posing.posed) list.push(view('restAll', 'Back to rest', false));
    if (!['artwork', 'delivery'].includes(bench.page.stageKey))
      list.push(view('bones', 'Bones', bench.sheet.showBones));
    list.push(view('fit', 'Fit', false));
    return list;
  },
  toolInHand() {
    return bench.toolset[this.toolKey];
  },
  useTool(key) {
    if (!bench.toolset[key]) {
      this.run(key);
      return;
    }
    if (bench.toolset[key].building && !bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    this.toolInHand().cancel(bench);
    engine.cross = null;
    bench.page.message = '';
    bench.page.warning = false;
    this.toolKey = key;
    if (bench.toolset[key].begin) bench.toolset[key].begin(bench);
  },
  /** Do what an action is for, or go to what a line of the finder names. */
  run(key) {
    bench.finder.closeFinder();
    const [kind, id] = key.split(' ');
    const action = bench.actions.find((one) => one.key === key);
    if (kind === 'bone') bench.selection.pickBone(id);
    else if (kind === 'part') bench.selection.pickPart(id);
    else if (kind === 'go') bench.page.goTo(id);
    else if (action) action.act();
  },
  drawDraft(points, pointer) {
    engine.draft = points.length ? { points: [...points], pointer } : null;
    this.draftCount = points.length;
    bench.page.message = '';
    bench.sheet.redraw();
  },
  /** Bones as they will be when the joint being dragged is let go here: what sits on the same spot goes along. */
  showJointAt(id, end, point) {
    if (!id) {
      engine.override = null;
      bench.sheet.redraw();
      return;
    }
    const bones = bench.page.figure.bones;
    const bone = bones.find((one) => one.id === id);
    const from = bone[end];
    const same = (other) => Math.hypot(other[0] - from[0], other[1] - from[1]) < 1e-6;
    engine.override = {};
    for (const one of bones) {
      const kin = one.id === id || one.id === bone.parent || one.parent === (end === 'tip' ? id : bone.parent);
      const moved = {
        joint: kin && same(one.joint) ? point : one.joint,
        tip: kin && same(one.tip) && one.id !== (end === 'joint' ? id : '') ? point : one.tip,
      };
      if (moved.joint === point || moved.tip === point) engine.override[one.id] = moved;
    }
    bench.sheet.redraw();
  },
  /** Where the server says the pointer means to be; the last asked wins. */
  async snapAt(point, show) {
    engine.snapAsked = (engine.snapAsked || 0) + 1;
    const asked = engine.snapAsked;
    const within = 14 / engine.camera.scale;
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/snap/${scene.revision}/?x=${point[0].toFixed(1)}&y=${point[1].toFixed(1)}&within=${within.toFixed(1)}`,
    );
    if (asked === engine.snapAsked && answer.ok) show(answer.data.point, answer.data.word);
  },
};
