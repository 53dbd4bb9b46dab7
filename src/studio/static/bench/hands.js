// Pointer and keys, tools and selection.

import { BY_KEY } from './actions.js';
import { engine } from './engine.js';
import { scene } from './scene.js';
import { TOOLS } from './tools/index.js';

const GATHER = 350; // ms in which further presses of arrow keys belong to the same move

export const hands = {
  listen() {
    const sheet = document.getElementById('sheet');
    const at = (event) => { const box = sheet.getBoundingClientRect(); return engine.camera.fromWindow(event.clientX - box.left, event.clientY - box.top); };
    const onSheet = (event) => !event.target.closest('.tools, .state-tab');
    let panning = null;
    let space = false;
    sheet.addEventListener('pointerdown', (event) => {
      if (!onSheet(event)) return;
      if (event.button === 1 || space) { panning = at(event); sheet.classList.add('panning'); event.preventDefault(); } else if (event.button === 0) {
        const hit = event.target.closest('[data-bone]');
        this.toolInHand().down(this.self(), engine.camera.toFigure(...at(event)), event, hit ? hit.dataset.bone : null);
      }
      sheet.setPointerCapture(event.pointerId);
    });
    sheet.addEventListener('pointermove', (event) => {
      engine.cross = null;
      const here = at(event);
      const point = engine.camera.toFigure(...here);
      this.place = `${Math.round(point[0])}, ${Math.round(point[1])}`;
      if (panning) { engine.camera.pan(here[0] - panning[0], here[1] - panning[1]); panning = here; this.redraw(); } else this.toolInHand().move(this.self(), point, event);
    });
    const release = (event) => {
      if (panning) { panning = null; sheet.classList.remove('panning'); } else this.toolInHand().up(this.self(), engine.camera.toFigure(...at(event)), event);
    };
    sheet.addEventListener('pointerup', release);
    sheet.addEventListener('pointercancel', () => { panning = null; this.toolInHand().cancel(this.self()); });
    sheet.addEventListener('wheel', (event) => {
      event.preventDefault();
      engine.camera.zoomAround(...at(event), Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)));
      this.redraw();
    }, { passive: false });
    document.getElementById('overlay').addEventListener('keydown', (event) => {
      const hit = event.target.closest('[data-bone]');
      if (hit && (event.key === 'Enter' || event.key === ' ') && this.toolKey === 'select') { event.preventDefault(); event.stopPropagation(); this.pickBone(hit.dataset.bone, event); }
    });
    addEventListener('resize', () => this.resize());
    addEventListener('keydown', (event) => { if (event.code === 'Space' && event.target === document.body) { space = true; event.preventDefault(); } });
    addEventListener('keyup', (event) => { if (event.code === 'Space') space = false; if (event.key.toLowerCase() === 'h' && this.cleanLook) { this.cleanLook = false; this.redraw(); } });
    addEventListener('blur', () => { if (this.cleanLook) { this.cleanLook = false; this.redraw(); } });
    addEventListener('keydown', (event) => this.pressed(event));
  },
  pressed(event) {
    const control = event.ctrlKey || event.metaKey;
    const key = event.key.toLowerCase();
    if (control && key === 'k') { event.preventDefault(); this.openFinder(); return; }
    if (control && key === 'a' && !event.target.closest('input, select, textarea')) { event.preventDefault(); this.selectAll(); return; }
    const inField = event.target.closest('input:not([type="checkbox"]):not([type="range"]):not([type="color"]), textarea');
    if (control && ['z', 'y'].includes(key) && inField) return; // a field undoes its own typing
    if (control && key === 'z') { event.preventDefault(); if (event.shiftKey) this.redo(); else this.undo(); return; }
    if (control && key === 'y') { event.preventDefault(); this.redo(); return; }
    if (event.target.closest('input, select, textarea') || control || (event.altKey && !key.startsWith('arrow')) || this.finderOpen) return;
    if (key === '?') this.openFinder();
    else if (key === 'escape') this.letGo();
    else if (key === 'enter' && engine.cross && this.toolInHand().byKeys) { event.preventDefault(); this.setAtCross(event); } else if (key === 'enter' && this.toolInHand().enter && !event.target.closest('button, a')) { event.preventDefault(); this.toolInHand().enter(this.self()); } else if (key === 'delete') this.run('delete');
    else if (key === 'h' && !event.repeat) { this.cleanLook = true; this.redraw(); } else if (key.startsWith('arrow')) this.nudge(event);
    else if (key === 't' && event.shiftKey) this.run('straightView');
    else if (BY_KEY[key]) { if (key.startsWith('page')) event.preventDefault(); this.run(BY_KEY[key]); }
  },
  /** A tool that aims is moved by arrow keys: 8 px on the screen, with Shift 40, with Alt 1. */
  aim(event) {
    const tool = this.toolInHand();
    const step = (event.shiftKey ? 40 : event.altKey ? 1 : 8) / engine.camera.scale;
    const [dx, dy] = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
    const { width, height } = engine.camera;
    const from = engine.cross || (tool.aimFrom && tool.aimFrom(this.self())) || engine.camera.toFigure(width / 2, height / 2);
    engine.cross = [from[0] + dx, from[1] + dy];
    this.place = engine.cross.map((one) => Math.round(one)).join(', ');
    tool.move(this.self(), engine.cross, { altKey: true });
    this.redraw();
  },
  setAtCross(event) {
    const tool = this.toolInHand();
    const at = [...engine.cross];
    if (tool.endsAt && tool.endsAt(at)) { engine.cross = null; tool.enter(this.self()); return; }
    tool.down(this.self(), at, { altKey: true, shiftKey: event.shiftKey, target: document.body, detail: 1 }, null);
    tool.up(this.self(), at, event);
  },
  nudge(event) {
    if (event.target.closest('.tray')) return;
    if (this.toolInHand().byKeys) { event.preventDefault(); this.aim(event); return; }
    if (this.stageKey === 'artwork' && this.parts.length && this.mayBuild) {
      event.preventDefault();
      const by = event.shiftKey ? 10 : 1;
      const parts = this.selectedParts();
      this.gather({ ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[event.key], (sum) => this.edit({ kind: 'move_parts', parts, by: sum }));
      return;
    }
    if (!this.oneBone) return;
    event.preventDefault();
    const step = event.shiftKey ? 10 : 1;
    const [dx, dy] = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
    if (this.posed) this.poseTurn(this.oneBone.id, this.turnOf(this.oneBone.id) + dx + dy);
    else if (this.mayBuild && this.stageKey === 'bones') {
      const { id, joint } = this.oneBone;
      this.gather([dx, dy], (sum) => this.edit({ kind: 'move_joint', bone: id, to: [joint[0] + sum[0], joint[1] + sum[1]] }));
    }
  },
  /** Presses of arrow keys that follow one another closely are one move, and one step to undo. */
  gather(by, done) {
    const sum = engine.gathered ? engine.gathered.sum : [0, 0];
    if (engine.gathered) clearTimeout(engine.gathered.timer);
    const next = [sum[0] + by[0], sum[1] + by[1]];
    const first = engine.gathered ? engine.gathered.done : done; // told from where the first press began
    engine.gathered = { sum: next, done: first, timer: setTimeout(() => { engine.gathered = null; first(next); }, GATHER) };
  },
  letGo() {
    this.message = '';
    this.warning = false;
    this.toolInHand().cancel(this.self());
    engine.cross = null;
    if (this.toolKey !== 'select') this.useTool('select');
    else this.pickNothing();
  },
  self() { return this; },
  toolInHand() { return TOOLS[this.toolKey]; },
  useTool(key) {
    if (!TOOLS[key]) { this.run(key); return; }
    if (TOOLS[key].building && !this.mayBuild) { this.warn(this.whyNot); return; }
    this.toolInHand().cancel(this.self());
    engine.cross = null;
    this.message = '';
    this.warning = false;
    this.toolKey = key;
    if (TOOLS[key].begin) TOOLS[key].begin(this.self());
  },
  run(key) {
    this.closeFinder();
    const go = key.startsWith('go ') ? key.slice(3) : null;
    const acts = {
      turnOver: () => this.turnOver(), fit: () => { engine.camera.fit(scene.figure.sheet); this.redraw(); }, undo: () => this.undo(), redo: () => this.redo(),
      chain: () => this.startChain(), joint: () => { this.goTo('bones'); this.useTool('joint'); }, select: () => this.useTool('select'),
      mesh: () => { this.stageKey = 'binding'; this.showMesh = !this.showMesh; }, weights: () => { this.stageKey = 'binding'; this.showWeights = !this.showWeights; },
      bones: () => { this.showBones = !this.showBones; }, play: () => this.playSwing(), restAll: () => this.toRest('all'), delete: () => { if (this.stageKey === 'binding' && this.vertices.length) this.removeVertices(); else if (this.parts.length && this.stageKey === 'artwork') this.deleteParts(); else this.deleteBones(); },
      along: () => { this.goTo('bones'); this.useTool('along'); }, brush: () => { this.goTo('binding'); this.useTool('brush'); }, vertices: () => { this.goTo('binding'); this.useTool('vertices'); }, bindFigure: () => { this.goTo('binding'); this.bindFigure(); }, tuneAll: () => { this.goTo('binding'); this.tuneAll(); },
      falseColours: () => { this.falseColours = !this.falseColours; this.redraw(); }, readBends: () => { this.goTo('binding'); this.pickNothing(); this.readBends(); }, proposeAll: () => { this.goTo('seams'); this.proposeAll(); },
      bonesFromParts: () => { this.goTo('bones'); this.bonesFromParts(); }, upTree: () => this.upTree(), downTree: () => this.downTree(), forward: () => this.step(1), backward: () => this.step(-1),
      mirrorView: () => { this.viewMirrored = !this.viewMirrored; this.resize(); }, turnView: () => { this.viewTurn = (this.viewTurn + 15) % 360; this.resize(); }, straightView: () => { this.viewTurn = 0; this.viewMirrored = false; this.resize(); },
      sever: () => { this.goTo('artwork'); this.useTool('sever'); }, reshape: () => { this.goTo('artwork'); this.useTool('reshape'); }, middle: () => { this.goTo('artwork'); this.useTool('middle'); },
      lifted: () => this.toggleLifted(), selectAll: () => this.selectAll(), alone: () => this.viewAlone(),
      lamplight: () => { window.switchTheme(); this.redraw(); },
      library: () => { location.href = '/figures/'; },
    };
    const [kind, id] = key.split(' ');
    if (kind === 'bone') this.pickBone(id);
    else if (kind === 'part') this.pickPart(id);
    else if (go) this.goTo(go);
    else if (acts[key]) acts[key]();
  },
  startChain() { this.goTo('bones'); this.useTool('chain'); },
  goTo(key) {
    this.stageKey = key;
    this.stopSwing();
    this.useTool('select');
    if (key === 'delivery') this.loadJobs();
  },
  openFinder() { this.finderOpen = true; this.finderWord = ''; this.finderAt = 0; this.$nextTick(() => document.getElementById('finder-input').focus()); },
  closeFinder() { this.finderOpen = false; },
  runFirst() { const found = this.foundActions; if (found.length) this.run(found[Math.min(this.finderAt, found.length - 1)].key); },
  walkFinder(by) {
    this.finderAt = Math.min(Math.max(this.finderAt + by, 0), this.foundActions.length - 1);
    this.$nextTick(() => { const chosen = document.querySelector('.finder li.first'); if (chosen) chosen.scrollIntoView({ block: 'nearest' }); });
  },
  toggleFindings() { this.findingsChosen = true; this.findingsOpen = !this.findingsOpen; },
  warn(sentence) { this.message = sentence; this.warning = true; },

  pickPart(id, event) {
    this.bones = [];
    if (event && (event.shiftKey || event.ctrlKey)) this.parts = this.parts.includes(id) ? this.parts.filter((one) => one !== id) : [...this.parts, id];
    else this.parts = [id];
  },
  pickBone(id, event) {
    if (event && (event.shiftKey || event.ctrlKey)) this.bones = this.bones.includes(id) ? this.bones.filter((one) => one !== id) : [...this.bones, id];
    else this.bones = [id];
    // parts stay selected while binding, so that the bone they shall follow can be picked on the sheet
    if (this.stageKey === 'binding' && this.parts.length) this.rigidBone = id;
    else this.parts = [];
  },
  pickNothing() { this.bones = []; this.parts = []; },
  lookAt(finding) {
    this.goTo(finding.stage);
    this.parts = finding.parts;
    this.bones = finding.bones;
    const bone = this.figure.bones.find((one) => one.id === finding.bones[0]);
    if (bone && Number.isFinite(finding.angle)) {
      if (!this.posed) this.turnOver();
      this.poseTurn(bone.id, finding.angle);
    }
    const place = this.placeOf(finding);
    if (!place) return;
    this.$nextTick(() => {
      this.resize();
      engine.camera.look(place);
      this.redraw();
      engine.overlay.mark(place);
    });
  },
  /** The box (left, top, right, bottom) a finding is about: its joint with half of both limbs, or its parts. */
  placeOf(finding) {
    const bone = this.figure.bones.find((one) => one.id === finding.bones[0]);
    if (bone) {
      const reach = 0.6 * Math.hypot(bone.tip[0] - bone.joint[0], bone.tip[1] - bone.joint[1]);
      return [bone.joint[0] - reach, bone.joint[1] - reach, bone.joint[0] + reach, bone.joint[1] + reach];
    }
    const parts = this.figure.parts.filter((one) => finding.parts.includes(one.id));
    if (!parts.length) return null;
    const low = [0, 1].map((k) => Math.min(...parts.map((one) => one.place[k])));
    const high = [0, 1].map((k) => Math.max(...parts.map((one) => one.place[k] + one.size[k])));
    return [...low, ...high];
  },
  movedBy(bones) {
    const moved = (part) => (part.binding.influences || []).some((ref) => bones.includes(ref));
    return this.figure.parts.filter(moved).map((part) => part.id);
  },
  selectedBone() { return this.bones[0] || null; },
  selectedParts() { return [...this.parts]; },
  /** What can be picked on the sheet: not what is locked while arranging, nor what another view leaves out. */
  items() {
    const locked = new Set(this.stageKey === 'artwork' ? this.figure.parts.filter((part) => part.locked).map((part) => part.id) : []);
    const { stage } = engine;
    return stage.listed().filter((item) => stage.opacityOf(item) > 0 && !locked.has(item.part) && (!this.alone.length || this.alone.includes(item.part)));
  },
  nearerEnd(id, point) {
    const bone = this.figure.bones.find((one) => one.id === id);
    const gap = (end) => Math.hypot(point[0] - end[0], point[1] - end[1]);
    return gap(bone.tip) < gap(bone.joint) ? 'tip' : 'joint';
  },
  nearestEnd(id, point) { return [...this.figure.bones.find((one) => one.id === id)[this.nearerEnd(id, point)]]; },
  drawDraft(points, pointer) { engine.draft = points.length ? { points: [...points], pointer } : null; this.draftCount = points.length; this.message = ''; this.redraw(); },
  /** Bones as they will be when the joint being dragged is let go here: what sits on the same spot goes along. */
  showJointAt(id, end, point) {
    if (!id) { engine.override = null; this.redraw(); return; }
    const bones = this.figure.bones;
    const bone = bones.find((one) => one.id === id);
    const from = bone[end];
    const same = (other) => Math.hypot(other[0] - from[0], other[1] - from[1]) < 1e-6;
    engine.override = {};
    for (const one of bones) {
      const kin = one.id === id || one.id === bone.parent || one.parent === (end === 'tip' ? id : bone.parent);
      const moved = { joint: kin && same(one.joint) ? point : one.joint, tip: kin && same(one.tip) && one.id !== (end === 'joint' ? id : '') ? point : one.tip };
      if (moved.joint === point || moved.tip === point) engine.override[one.id] = moved;
    }
    this.redraw();
  },
};
