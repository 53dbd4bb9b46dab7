// The bench: Alpine's state and words, wired to stage, overlay, live socket and edit queue. No rule of the job is here.

import Alpine from '../vendor/alpine/alpine-csp.esm.min.js';
import { ACTIONS, BY_KEY } from './actions.js';
import { EditQueue, fetchJson, post } from './api.js';
import { unpack } from './buffers.js';
import { Camera } from './camera.js';
import { Live } from './live.js';
import { Overlay } from './overlay.js';
import { drawPaper } from './paper.js';
import { carried, scene, setScene } from './scene.js';
import { Stage } from './stage.js';
import { chain } from './tools/chain.js';
import { joint } from './tools/joint.js';
import { select } from './tools/select.js';
import { spot } from './tools/spot.js';

const TOOLS = { select, chain, joint, spot };
const STAGES = [
  { key: 'artwork', word: 'Artwork' }, { key: 'bones', word: 'Bones' }, { key: 'binding', word: 'Binding' },
  { key: 'seams', word: 'Seams' }, { key: 'follow', word: 'Follow-through' }, { key: 'delivery', word: 'Delivery' },
];
const DELIVERIES = [
  { ending: 'png', word: 'This pose', button: 'PNG' }, { ending: 'webm', word: 'Test swing, video with alpha', button: 'WebM' },
  { ending: 'webp', word: 'Test swing, animated picture', button: 'WebP' }, { ending: 'glb', word: 'Rig with skins and swing', button: 'glTF' },
  { ending: 'zip', word: 'Figure archive', button: 'Archive' },
];
const NO_SPRING = { there: false, frequency: 1.6, damping_ratio: 0.25, gravity: 980 };
const FRAMES_PER_SECOND = 24;

// What Alpine must not wrap: canvases, typed arrays, sockets.
const engine = { camera: new Camera(), stage: null, overlay: null, live: null, queue: null, draft: null, override: null, dirty: false, swing: null };
window.kunstgriff = { engine, scene };

Alpine.data('bench', () => ({
  ready: false, stageKey: 'bones', toolKey: 'select', posed: false, findingsOpen: true,
  state: null, bones: [], parts: [], pose: { turn: {}, move: {} }, offline: '', waitingEdits: 0,
  showMesh: false, showWeights: false, showBones: true, playing: false, frameNumber: 0, speed: 1,
  message: '', warning: false, finderOpen: false, finderWord: '', zoom: 1, place: '',
  rigidBone: '', vertexCount: 220, influenceWay: 'auto', ticked: [], spring: { ...NO_SPRING }, jobs: [], dragged: null,

  // ---- words and lists for the page
  get stages() { return STAGES; },
  get deliveryKinds() { return DELIVERIES; },
  get figure() { return this.state ? this.state.figure : null; },
  get figureName() { return this.figure ? this.figure.name : ''; },
  get findings() { return this.state ? this.state.findings : []; },
  get notices() { return this.state ? this.state.notices : []; },
  get undoWord() { return this.state && this.state.undo ? `Undo: ${this.state.undo}` : ''; },
  get redoWord() { return this.state && this.state.redo ? `Redo: ${this.state.redo}` : ''; },
  get unsaved() { return this.waitingEdits > 0 || Boolean(this.offline); },
  get savedWords() {
    if (this.offline) return this.offline;
    if (this.waitingEdits) return 'saving …';
    if (!this.state) return 'opening …';
    const at = new Date(this.state.saved);
    return `saved ${at.getHours()}:${String(at.getMinutes()).padStart(2, '0')}${this.state.mayEdit ? '' : ', to look at only'}`;
  },
  get zoomWords() { return `${Math.round(this.zoom * 100)} %`; },
  get placeWords() { return this.place || '0, 0'; },
  get hintWords() { return this.message || (this.ready && TOOLS[this.toolKey].hint ? TOOLS[this.toolKey].hint(this) : ''); },
  get aiming() { return Boolean(TOOLS[this.toolKey].aiming); },
  get mayBuild() { return Boolean(this.state && this.state.mayEdit && !this.posed); },
  get whyNot() { return this.posed ? 'Building is done at rest: press R to turn the sheet over.' : 'This figure is shared with you to look at.'; },
  get oneBone() { return this.bones.length === 1 ? this.figure.bones.find((bone) => bone.id === this.bones[0]) || null : null; },
  get somePart() { return !this.bones.length && this.parts.length > 0; },
  get onePart() { return !this.bones.length && this.parts.length === 1 ? this.figure.parts.find((part) => part.id === this.parts[0]) || null : null; },
  get cardTitle() {
    if (this.stageKey === 'delivery') return 'Delivery';
    if (this.oneBone) return this.oneBone.name;
    if (this.onePart) return this.onePart.name;
    if (this.bones.length > 1) return `${this.bones.length} bones`;
    return this.somePart ? `${this.parts.length} parts` : this.figureName;
  },
  get cardSubtitle() {
    if (!this.figure) return '';
    if (this.stageKey === 'delivery') return `${this.figureName}, at ${this.figure.rate} frames per second`;
    if (this.oneBone) return this.oneBone.parent ? `hangs on ${this.boneName(this.oneBone.parent)}` : 'a root bone';
    if (this.onePart) return this.followsWords;
    return `${this.figure.parts.length} parts, ${this.figure.bones.length} bones, ${this.figure.covers.length} covers`;
  },
  get thingName() { return this.oneBone ? this.oneBone.name : this.onePart ? this.onePart.name : ''; },
  get hasName() { return this.stageKey !== 'delivery' && Boolean(this.oneBone || this.onePart); },
  get showsPose() { return this.stageKey !== 'delivery' && this.posed && Boolean(this.oneBone); },
  get lockedWords() { return this.state && !this.mayBuild && this.stageKey !== 'delivery' ? this.whyNot : ''; },
  get boneTurn() { return this.oneBone ? Math.round((this.pose.turn[this.oneBone.id] || 0) * 10) / 10 : 0; },
  get bonePlace() {
    const bone = this.oneBone;
    if (!bone) return { jx: 0, jy: 0, tx: 0, ty: 0, length: '' };
    const length = Math.hypot(bone.tip[0] - bone.joint[0], bone.tip[1] - bone.joint[1]);
    return { jx: bone.joint[0], jy: bone.joint[1], tx: bone.tip[0], ty: bone.tip[1], length: `${length.toFixed(1)} px` };
  },
  get boneParent() { return this.oneBone ? this.oneBone.parent || '' : ''; },
  get boneChoices() { return this.figure ? this.figure.bones.map((bone) => ({ id: bone.id, name: bone.name, colour: this.state.colours[bone.id] })) : []; },
  get parentChoices() { return this.boneChoices.filter((bone) => !this.bones.includes(bone.id)); },
  get bonesWords() { return this.boneChoices.length ? 'Bones' : 'No bones yet'; },
  get partFacts() {
    const part = this.onePart;
    if (!part) return { opacity: 1, order: 1, size: '', group: '', visible: true };
    const group = this.figure.groups.find((one) => one.id === part.group);
    return { opacity: part.opacity, order: this.figure.parts.indexOf(part) + 1, size: `${part.size[0]} × ${part.size[1]} px`, group: group ? group.name : 'none', visible: part.visible };
  },
  get followsWords() {
    const part = this.onePart;
    if (!part) return this.somePart ? `${this.parts.length} parts are selected.` : '';
    const binding = part.binding;
    if (binding.kind === 'rigid') return `follows ${this.boneName(binding.bone)} as a whole`;
    if (binding.kind === 'rider') return `rides on ${this.partName(binding.carrier)}`;
    if (binding.kind === 'weighted') return `${binding.mesh.vertex_count} vertices, moved by ${binding.influences.map((ref) => this.boneName(ref)).join(', ')}`;
    return 'follows nothing yet';
  },
  get cover() {
    const found = this.oneBone && this.figure.covers.find((one) => one.bone === this.oneBone.id);
    if (!found) return { there: false, source: '', over: '', radius: 0 };
    return { there: true, source: this.partName(found.source), over: this.partName(found.over), radius: found.radius };
  },
  get seamWords() {
    if (!this.oneBone || !this.oneBone.parent) return 'Nothing meets at a root bone.';
    return this.cover.there ? 'The line across the joint is covered.' : `Where the parts of ${this.boneName(this.oneBone.parent)} and ${this.oneBone.name} meet, the line across shows.`;
  },
  get springWords() {
    const ids = this.oneBone ? this.state.chains[this.oneBone.id] : [];
    return ids.map((ref) => this.boneName(ref)).join(', ');
  },
  get frameWords() { return this.playing ? `frame ${this.frameNumber + 1} of ${this.state.swing.frames}` : ''; },
  get tools() {
    const off = !this.mayBuild;
    const tool = (key) => ({ key, word: TOOLS[key].word(this), on: this.toolKey === key, off: Boolean(TOOLS[key].building) && off, why: TOOLS[key].building && off ? this.whyNot : '' });
    const view = (key, word, on) => ({ key, word, on, off: false, why: '' });
    const list = [tool('select')];
    if (this.stageKey === 'bones') list.push(tool('chain'), tool('joint'));
    if (this.stageKey === 'binding') list.push(tool('spot'), view('mesh', 'Mesh', this.showMesh), view('weights', 'Weights', this.showWeights));
    if (this.stageKey === 'follow') list.push(view('play', 'Play', this.playing));
    if (this.posed) list.push(view('restAll', 'Back to rest', false));
    list.push(view('bones', 'Bones', this.showBones), view('fit', 'Fit', false));
    return list;
  },
  get tiles() {
    if (!this.figure) return [];
    const order = [...this.figure.parts].reverse();
    return order.map((part, index) => {
      const before = order[index - 1];
      const after = order[index + 1];
      const same = (other) => other && part.group && other.group === part.group;
      const group = this.figure.groups.find((one) => one.id === part.group);
      return {
        id: part.id, name: part.name, visible: part.visible, src: `/figures/pictures/${part.picture}.png`,
        title: group ? `${part.name}, in ${group.name}` : part.name,
        classes: { 'hidden-part': !part.visible, 'in-group': Boolean(part.group), 'group-start': Boolean(part.group) && !same(before), 'group-end': Boolean(part.group) && !same(after) },
      };
    });
  },
  get foundActions() {
    const word = this.finderWord.toLowerCase();
    const own = STAGES.map((stage) => ({ key: `go ${stage.key}`, word: `Go to ${stage.word}`, keys: '' }));
    return [...ACTIONS, ...own].filter((action) => action.word.toLowerCase().includes(word)).map((action, index) => ({ ...action, first: index === 0 && Boolean(word) }));
  },
  openCount(key) { return this.findings.filter((finding) => finding.stage === key).length; },
  boneName(id) { const bone = this.figure.bones.find((one) => one.id === id); return bone ? bone.name : ''; },
  partName(id) { const part = this.figure.parts.find((one) => one.id === id); return part ? part.name : ''; },
  isBone(id) { return this.bones.includes(id); },
  isPart(id) { return this.parts.includes(id); },

  // ---- opening
  async init() {
    const figureId = document.body.dataset.figure;
    this.figureId = figureId;
    const stored = JSON.parse(sessionStorage.getItem(`view-${figureId}`) || '{}');
    Object.assign(this, stored);
    engine.stage = await Stage.create(document.getElementById('stage'), `${document.body.dataset.static}shaders/`);
    engine.overlay = new Overlay(document.getElementById('overlay'), document.getElementById('lines'), engine.camera);
    engine.queue = new EditQueue(figureId, this.queueListener());
    const answer = await fetchJson(`/bench/${figureId}/state/`);
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    await this.take(answer.data);
    this.resize();
    engine.camera.fit(this.figure.sheet);
    engine.live = new Live(figureId, this.liveListener());
    this.listen();
    this.ready = true;
    if (this.posed) this.sendPose();
    for (const name of ['stageKey', 'posed', 'pose', 'showMesh', 'showWeights', 'showBones', 'findingsOpen']) this.$watch(name, () => this.remember());
    for (const name of ['bones', 'parts', 'stageKey', 'showMesh', 'showWeights', 'showBones', 'posed', 'toolKey']) this.$watch(name, () => this.redraw());
    this.$watch('bones', () => this.takeSpring());
    this.redraw();
    this.loadJobs();
  },
  remember() {
    const { stageKey, posed, pose, showMesh, showWeights, showBones, findingsOpen } = this;
    sessionStorage.setItem(`view-${this.figureId}`, JSON.stringify({ stageKey, posed, pose, showMesh, showWeights, showBones, findingsOpen }));
  },
  /** A new state of the figure, from opening, an edit, undo, or another tab. */
  async take(state) {
    const answer = await fetch(`/bench/${this.figureId}/geometry/${state.revision}/`);
    if (!answer.ok) return;
    const geometry = unpack(await answer.arrayBuffer());
    if (this.state && state.revision < this.state.revision && engine.queue.revision > state.revision) return;
    setScene(state, geometry);
    engine.stage.setGeometry(geometry, state.items);
    engine.override = null;
    engine.queue.revision = state.revision;
    this.state = state;
    const bones = new Set(state.figure.bones.map((bone) => bone.id));
    this.bones = this.bones.filter((id) => bones.has(id));
    this.parts = this.parts.filter((id) => state.figure.parts.some((part) => part.id === id));
    this.pose = { turn: keep(this.pose.turn, bones), move: keep(this.pose.move, bones) };
    this.takeSpring();
    if (this.posed && engine.live) this.sendPose();
    engine.stage.loadPictures(() => this.redraw()).then(() => { this.redraw(); requestAnimationFrame(() => { engine.painted = engine.painted || performance.now(); }); });
    engine.queue.work();
    this.redraw();
  },
  queueListener() {
    return {
      accepted: (state) => { this.offline = ''; this.take(state); },
      caughtUp: (state) => this.take(state),
      refused: (sentence) => { engine.override = null; this.warn(sentence); this.redraw(); },
      waiting: (count) => { this.waitingEdits = count; },
      offline: (sentence) => { this.offline = `not saved yet: ${sentence}`; },
    };
  },
  liveListener() {
    return {
      frame: (frame) => {
        if (frame.revision !== scene.revision || !this.posed || this.playing) return;
        this.showFrame(frame);
      },
      swingFrame: (frame) => { if (engine.swing && frame.serial === engine.swing.serial) engine.swing.frames[frame.frame] = frame; },
      connection: (open, sentence) => {
        this.offline = open ? '' : sentence;
        if (open && this.ready) { this.catchUp(); if (this.posed) this.sendPose(); }
      },
      headMoved: (revision) => { if (revision !== scene.revision && !this.waitingEdits) this.catchUp(); },
      said: (sentence) => this.warn(sentence),
    };
  },
  async catchUp() {
    const answer = await fetchJson(`/bench/${this.figureId}/state/`);
    if (answer.ok && answer.data.revision !== scene.revision) await this.take(answer.data);
    if (answer.status === 410) this.warn(answer.data.sentence);
  },

  // ---- drawing
  resize() {
    const box = document.getElementById('sheet').getBoundingClientRect();
    engine.camera.resize(box.width, box.height);
    for (const id of ['paper', 'stage']) {
      const canvas = document.getElementById(id);
      canvas.width = Math.round(box.width * devicePixelRatio);
      canvas.height = Math.round(box.height * devicePixelRatio);
    }
    document.getElementById('overlay').setAttribute('viewBox', `0 0 ${box.width} ${box.height}`);
    this.redraw();
  },
  redraw() {
    if (engine.dirty) return;
    engine.dirty = true;
    requestAnimationFrame(() => { engine.dirty = false; this.draw(); });
  },
  draw() {
    if (!this.state) return;
    const { camera, stage, overlay } = engine;
    this.zoom = camera.scale;
    const paper = document.getElementById('paper').getContext('2d');
    paper.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
    paper.clearRect(0, 0, camera.width, camera.height);
    drawPaper(paper, camera, scene.figure.sheet, this.posed, getComputedStyle(document.documentElement));
    const weights = this.showWeights && this.stageKey === 'binding';
    const chosen = new Set(this.parts.length ? this.parts : this.movedBy(this.bones));
    const weighted = new Set(scene.figure.parts.filter((part) => part.binding.kind === 'weighted').map((part) => part.id));
    const tinted = weights ? (part) => (chosen.size ? chosen.has(part) : weighted.has(part)) : null;
    stage.paint(stage.canvas.width, stage.canvas.height, camera.scale * devicePixelRatio, camera.origin, -1, tinted);
    const springs = new Set(scene.figure.springs.flatMap((one) => one.bones));
    overlay.drawBones(scene.figure, { colours: this.state.colours, selected: new Set(this.bones), springs, shown: this.showBones && this.stageKey !== 'delivery', override: engine.override });
    const parts = chosen.size ? [...chosen] : [...weighted];
    overlay.drawLines({ mesh: this.showMesh && this.stageKey === 'binding', weights, parts, unfollowed: true, colours: this.state.colours, selectedBone: this.bones[0] });
    overlay.drawDraft(engine.draft ? engine.draft.points : [], engine.draft ? engine.draft.pointer : null);
  },
  showFrame(frame) {
    scene.vertices = frame.vertices;
    scene.matrices = frame.matrices;
    engine.stage.setVertices(frame.vertices);
    this.redraw();
  },
  showRest() {
    scene.vertices = scene.geometry.rest;
    scene.matrices = scene.matrices.map((_, i) => [1, 0, 0, 1, 0, 0][i % 6]);
    engine.stage.setVertices(scene.vertices);
    this.redraw();
  },

  // ---- pointer and keys
  listen() {
    const sheet = document.getElementById('sheet');
    const at = (event) => { const box = sheet.getBoundingClientRect(); return [event.clientX - box.left, event.clientY - box.top]; };
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
    addEventListener('keyup', (event) => { if (event.code === 'Space') space = false; });
    addEventListener('keydown', (event) => this.pressed(event));
  },
  pressed(event) {
    const control = event.ctrlKey || event.metaKey;
    const key = event.key.toLowerCase();
    if (control && key === 'k') { event.preventDefault(); this.openFinder(); return; }
    if (control && key === 'z') { event.preventDefault(); if (event.shiftKey) this.redo(); else this.undo(); return; }
    if (control && key === 'y') { event.preventDefault(); this.redo(); return; }
    if (event.target.closest('input, select, textarea') || control || event.altKey || this.finderOpen) return;
    if (key === '?') this.openFinder();
    else if (key === 'escape') this.letGo();
    else if (key === 'enter' && this.toolInHand().enter) { event.preventDefault(); this.toolInHand().enter(this.self()); } else if (key === 'delete') this.run('delete');
    else if (key.startsWith('arrow')) this.nudge(event);
    else if (BY_KEY[key]) this.run(BY_KEY[key]);
  },
  nudge(event) {
    if (!this.oneBone || event.target.closest('.tray, .card-panel')) return;
    event.preventDefault();
    const step = event.shiftKey ? 10 : 1;
    const [dx, dy] = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
    if (this.posed) this.poseTurn(this.oneBone.id, this.turnOf(this.oneBone.id) + dx + dy);
    else if (this.mayBuild && this.stageKey === 'bones') this.edit({ kind: 'move_joint', bone: this.oneBone.id, to: [this.oneBone.joint[0] + dx, this.oneBone.joint[1] + dy] });
  },
  letGo() {
    this.message = '';
    this.warning = false;
    this.toolInHand().cancel(this.self());
    if (this.toolKey !== 'select') this.useTool('select');
    else this.pickNothing();
  },
  self() { return this; },
  toolInHand() { return TOOLS[this.toolKey]; },
  useTool(key) {
    if (!TOOLS[key]) { this.run(key); return; }
    if (TOOLS[key].building && !this.mayBuild) { this.warn(this.whyNot); return; }
    this.toolInHand().cancel(this.self());
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
      bones: () => { this.showBones = !this.showBones; }, play: () => this.playSwing(), restAll: () => this.toRest('all'), delete: () => this.deleteBones(),
      lamplight: () => { const theme = document.documentElement.dataset.theme === 'lamplight' ? 'daylight' : 'lamplight'; document.documentElement.dataset.theme = theme; localStorage.setItem('theme', theme); this.redraw(); },
      library: () => { location.href = '/figures/'; },
    };
    if (go) this.goTo(go);
    else if (acts[key]) acts[key]();
  },
  startChain() { this.goTo('bones'); this.useTool('chain'); },
  goTo(key) {
    this.stageKey = key;
    this.stopSwing();
    this.useTool('select');
    if (key === 'delivery') this.loadJobs();
  },
  openFinder() { this.finderOpen = true; this.finderWord = ''; this.$nextTick(() => document.getElementById('finder-input').focus()); },
  closeFinder() { this.finderOpen = false; },
  runFirst() { if (this.foundActions.length) this.run(this.foundActions[0].key); },
  toggleFindings() { this.findingsOpen = !this.findingsOpen; this.$nextTick(() => this.resize()); },
  warn(sentence) { this.message = sentence; this.warning = true; },

  // ---- selection
  pickPart(id, event) {
    this.bones = [];
    if (event && (event.shiftKey || event.ctrlKey)) this.parts = this.parts.includes(id) ? this.parts.filter((one) => one !== id) : [...this.parts, id];
    else this.parts = [id];
  },
  pickBone(id, event) {
    if (event && (event.shiftKey || event.ctrlKey)) this.bones = this.bones.includes(id) ? this.bones.filter((one) => one !== id) : [...this.bones, id];
    else this.bones = [id];
    if (this.stageKey !== 'binding') this.parts = [];
  },
  pickNothing() { this.bones = []; this.parts = []; },
  lookAt(finding) {
    this.goTo(finding.stage);
    this.parts = finding.parts;
    this.bones = finding.bones;
  },
  movedBy(bones) {
    const moved = (part) => (part.binding.influences || []).some((ref) => bones.includes(ref));
    return this.figure.parts.filter(moved).map((part) => part.id);
  },
  selectedBone() { return this.bones[0] || null; },
  selectedParts() { return [...this.parts]; },
  items() { return this.state.items; },
  nearerEnd(id, point) {
    const bone = this.figure.bones.find((one) => one.id === id);
    const gap = (end) => Math.hypot(point[0] - end[0], point[1] - end[1]);
    return gap(bone.tip) < gap(bone.joint) ? 'tip' : 'joint';
  },
  nearestEnd(id, point) { return [...this.figure.bones.find((one) => one.id === id)[this.nearerEnd(id, point)]]; },
  freeBoneName() { return 'bone'; },
  drawDraft(points, pointer) { engine.draft = points.length ? { points: [...points], pointer } : null; this.message = ''; this.redraw(); },
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

  // ---- posing
  turnOver() {
    this.stopSwing();
    if (!this.posed && TOOLS[this.toolKey].building) this.useTool('select');
    this.posed = !this.posed;
    if (this.posed) this.sendPose();
    else this.showRest();
  },
  turnOf(id) { return this.pose.turn[id] || 0; },
  moveOf(id) { return this.pose.move[id] || [0, 0]; },
  poseTurn(id, degrees) { this.pose = { turn: { ...this.pose.turn, [id]: Math.round(degrees * 100) / 100 }, move: this.pose.move }; this.sendPose(); },
  poseMove(id, offset) { this.pose = { turn: this.pose.turn, move: { ...this.pose.move, [id]: offset.map((one) => Math.round(one * 10) / 10) } }; this.sendPose(); },
  setTurn(value) { if (Number.isFinite(Number(value))) this.poseTurn(this.oneBone.id, Number(value)); },
  sendPose() { engine.live.send({ revision: scene.revision, pose: JSON.parse(JSON.stringify(this.pose)) }); },
  toRest(how) {
    const gone = how === 'all' ? null : new Set(how === 'chain' ? this.state.chains[this.oneBone.id] : [this.oneBone.id]);
    const left = (table) => Object.fromEntries(Object.entries(table).filter(([id]) => gone && !gone.has(id)));
    this.pose = { turn: left(this.pose.turn), move: left(this.pose.move) };
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

  // ---- edits
  edit(edit) {
    if (!this.state.mayEdit) { this.warn(this.whyNot); return; }
    this.message = '';
    this.warning = false;
    engine.queue.add('edit', edit);
  },
  undo() { if (this.undoWord) engine.queue.add('undo', null); },
  redo() { if (this.redoWord) engine.queue.add('redo', null); },
  rename(name) {
    if (this.oneBone) this.edit({ kind: 'rename_bone', bone: this.oneBone.id, name });
    else if (this.onePart) this.edit({ kind: 'rename_part', part: this.onePart.id, name });
  },
  placeJoint(end, axis, value) {
    const to = [...this.oneBone[end]];
    to[axis] = Number(value);
    this.edit({ kind: 'move_joint', bone: this.oneBone.id, end, to });
  },
  hangOn(parent) { this.edit({ kind: 'hang_bone', bone: this.oneBone.id, parent: parent || null }); },
  deleteBones() {
    if (!this.bones.length || !this.mayBuild) return;
    const followers = this.figure.parts.filter((part) => this.bones.includes(part.binding.bone) || (part.binding.influences || []).some((ref) => this.bones.includes(ref)));
    if (followers.length && !confirm(`${followers.length} part(s) follow this. They will follow the bone it hangs on. Delete?`)) return;
    this.edit({ kind: 'delete_bones', bones: [...this.bones] });
  },
  setOpacity(value) { this.edit({ kind: 'set_opacity', parts: [this.onePart.id], opacity: Number(value) }); },
  setOrder(value) { this.edit({ kind: 'order_part', part: this.onePart.id, position: Math.max(Number(value) - 1, 0) }); },
  toggleShown(id) {
    const part = this.figure.parts.find((one) => one.id === (id || this.onePart.id));
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    this.edit({ kind: 'show_parts', parts: [part.id], visible: !part.visible });
  },
  bindRigid() { this.edit({ kind: 'bind_rigid', parts: this.selectedParts(), bone: this.rigidBone }); },
  bindWeighted() {
    const influences = this.influenceWay === 'chosen' ? [...this.ticked] : null;
    if (influences && !influences.length) { this.warn('Tick at least one bone that may move the part.'); return; }
    this.edit({ kind: 'bind_weighted', parts: this.selectedParts(), influences, count: this.vertexCount });
    this.showMesh = true;
  },
  unbind() { this.edit({ kind: 'unbind', parts: this.selectedParts() }); },
  layCover(radius) { this.edit({ kind: 'lay_cover', bone: this.oneBone.id, radius: radius ? Number(radius) : null }); },
  liftCover() { this.edit({ kind: 'lift_cover', bone: this.oneBone.id }); },
  takeSpring() {
    const found = this.oneBone && this.figure.springs.find((one) => one.bones.includes(this.oneBone.id));
    this.spring = found ? { there: true, frequency: found.frequency, damping_ratio: found.damping_ratio, gravity: found.gravity } : { ...NO_SPRING };
  },
  setSpring() {
    const { frequency, damping_ratio, gravity } = this.spring;
    const found = this.figure.springs.find((one) => one.bones.includes(this.oneBone.id));
    this.edit({ kind: 'set_spring', bone: found ? found.bones[0] : this.oneBone.id, frequency, damping_ratio, gravity });
  },
  springChanged() { if (this.spring.there) this.setSpring(); },
  removeSpring() { this.edit({ kind: 'remove_spring', bone: this.oneBone.id }); },

  // ---- the tray
  dragTile(event, id) { this.dragged = id; event.dataTransfer.effectAllowed = 'move'; event.dataTransfer.setData('text/plain', id); },
  overTile(event, id) {
    if (!this.dragged || this.dragged === id) return;
    event.preventDefault();
    document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before'));
    event.currentTarget.classList.add('drop-before');
  },
  dropTile(event, id) {
    event.preventDefault();
    const dragged = this.dragged;
    this.endDrag();
    if (!dragged || dragged === id) return;
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    // the tray runs front to back: dropping before a tile puts the part just in front of it
    const others = this.figure.parts.filter((part) => part.id !== dragged);
    this.edit({ kind: 'order_part', part: dragged, position: others.findIndex((part) => part.id === id) + 1 });
  },
  endDrag() { this.dragged = null; document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before')); },

  // ---- deliveries
  async order(ending) {
    const pose = this.posed ? JSON.parse(JSON.stringify(this.pose)) : {};
    const answer = await post(`/jobs/deliver/${this.figureId}/`, { ending, pose });
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    this.loadJobs();
  },
  async stopJob(id) { await post(`/jobs/${id}/stop/`, {}); this.loadJobs(); },
  async loadJobs() {
    const answer = await fetchJson(`/jobs/of/${this.figureId}/`);
    if (answer.ok) this.jobs = answer.data.jobs.map((job) => ({ ...job, share: job.total ? job.done / job.total : 0, words: jobWords(job) }));
    clearTimeout(this.jobTimer);
    if (this.stageKey === 'delivery' && (!answer.ok || this.jobs.some((job) => !job.over))) this.jobTimer = setTimeout(() => this.loadJobs(), 400);
  },
}));

function keep(table, known) {
  return Object.fromEntries(Object.entries(table || {}).filter(([id]) => known.has(id)));
}

function jobWords(job) {
  if (job.state === 'done') return `done, ${(job.size / 1024).toFixed(0)} KB`;
  return job.over ? job.state : job.total ? `${job.stage}, ${job.done} of ${job.total}` : job.stage;
}

Alpine.start();
