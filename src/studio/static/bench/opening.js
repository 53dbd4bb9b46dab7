// Opening the bench, and taking over new states of the figure from edits, undo and other tabs.

import { EditQueue, fetchJson } from './api.js';
import { unpack } from './buffers.js';
import { engine } from './engine.js';
import { Live } from './live.js';
import { Overlay } from './overlay.js';
import { scene, setScene } from './scene.js';
import { Stage } from './stage.js';


/** Sections of the card fold at their heading, and stay so. */
function foldable() {
  const folded = new Set(JSON.parse(localStorage.getItem('folded-sections') || '[]'));
  for (const heading of document.querySelectorAll('.card-panel > section > h3:not([x-text])')) {
    const word = heading.textContent.trim();
    const section = heading.parentElement;
    const button = document.createElement('button');
    button.type = 'button';
    button.className = 'fold-head';
    button.append(...heading.childNodes);
    heading.append(button);
    const show = () => { section.classList.toggle('folded', folded.has(word)); button.setAttribute('aria-expanded', String(!folded.has(word))); };
    button.addEventListener('click', () => {
      if (!folded.delete(word)) folded.add(word);
      localStorage.setItem('folded-sections', JSON.stringify([...folded]));
      show();
    });
    show();
  }
}

export const opening = {
  async init() {
    const figureId = document.body.dataset.figure;
    this.figureId = figureId;
    const stored = JSON.parse(sessionStorage.getItem(`view-${figureId}`) || '{}');
    Object.assign(this, stored);
    engine.stage = await Stage.create(document.getElementById('stage'), `${document.body.dataset.static}shaders/`);
    engine.stage.broken = () => this.paintAnew();
    engine.overlay = new Overlay(document.getElementById('overlay'), document.getElementById('lines'), engine.camera);
    engine.queue = new EditQueue(figureId, this.queueListener());
    const answer = await fetchJson(`/bench/${figureId}/state/`);
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    await this.take(answer.data);
    this.$watch('finderWord', () => { this.finderAt = 0; });
    foldable();
    this.resize();
    engine.camera.fit(this.figure.sheet);
    engine.live = new Live(figureId, this.liveListener());
    this.listen();
    this.ready = true;
    if (this.posed) this.sendPose();
    for (const name of ['stageKey', 'posed', 'pose', 'showMesh', 'showWeights', 'showBones', 'findingsOpen']) this.$watch(name, () => this.remember());
    for (const name of ['bones', 'parts', 'stageKey', 'showMesh', 'showWeights', 'showBones', 'posed', 'toolKey']) this.$watch(name, () => this.redraw());
    this.$watch('bones', () => this.takeSpring());
    for (const name of ['stripWanted', 'twoWanted', 'posed']) this.$watch(name, () => this.settleStrip());
    for (const name of ['stripShown', 'stripTwo', 'findingsOpen']) this.$watch(name, () => this.$nextTick(() => { this.resize(); this.redraw(); }));
    for (const name of ['bones', 'stageKey']) this.$watch(name, () => { this.fanBefore = null; this.loadFan(); this.loadZones(); });
    for (const name of ['bones', 'weightView', 'showWeights', 'stageKey']) this.$watch(name, () => this.loadTint());
    this.$watch('stageKey', () => this.loadSeams());
    this.$watch('bones', () => this.loadTried());
    this.$watch('vertices', () => { this.loadTable(); this.redraw(); });
    this.$watch('parts', () => { this.vertices = []; this.keepVoids(); });
    this.$watch('bones', () => this.suggestSides());
    for (const name of ['onlyOwn', 'zones']) this.$watch(name, () => this.redraw());
    this.$watch('alone', () => this.redraw());
    for (const name of ['parts', 'stageKey']) this.$watch(name, () => { this.loadReadings(); if (this.liftInk) this.showLifted(); });
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
    if (this.state && state.changed < this.state.changed) return; // overtaken; undo makes the revision an older one
    if (state.revision !== scene.revision) engine.before = scene.revision;
    setScene(state, geometry);
    engine.stage.setGeometry(geometry, state);
    engine.override = null;
    engine.queue.revision = state.revision;
    this.state = state;
    const bones = new Set(state.figure.bones.map((bone) => bone.id));
    this.bones = this.bones.filter((id) => bones.has(id));
    this.parts = this.parts.filter((id) => state.figure.parts.some((part) => part.id === id));
    this.keepChannels((id) => bones.has(id));
    this.vertices = this.weightedPart ? this.vertices.filter((one) => one < this.weightedPart.binding.mesh.vertex_count) : [];
    engine.tint = null;
    this.loadZones();
    this.loadSeams();
    this.loadTable();
    this.loadTint();
    this.alone = this.alone.filter((id) => state.figure.parts.some((part) => part.id === id));
    this.takeSpring();
    this.loadReadings();
    this.loadFan();
    if (this.liftInk) this.showLifted();
    this.loadReference();
    if (this.posed && engine.live) this.sendPose();
    engine.stage.loadPictures(() => this.redraw()).then(() => { this.redraw(); requestAnimationFrame(() => { engine.painted = engine.painted || performance.now(); }); this.loadFindings(state.revision); });
    engine.queue.work();
    this.redraw();
  },
  /** Painting failed: the geometry is handed over anew, which makes all of its buffers again. */
  paintAnew() {
    this.warn('The figure could not be painted; it is handed to the screen anew.');
    engine.stage.setGeometry(scene.geometry, this.state);
    engine.stage.setVertices(scene.vertices);
    this.loadTint();
    this.redraw();
  },
  queueListener() {
    return {
      accepted: (state) => { this.offline = ''; if (!this.warning) this.message = ''; this.take(state); },
      caughtUp: (state) => this.take(state),
      refused: (sentence) => { engine.override = null; this.warn(sentence); this.redraw(); },
      waiting: (count) => { this.waitingEdits = count; },
      offline: (sentence) => { this.offline = `not saved yet: ${sentence}`; },
    };
  },
  liveListener() {
    return {
      stroke: (frame) => { if (frame.revision === scene.revision && this.toolKey === 'brush') this.showStroke(frame); },
      frame: (frame) => {
        if (frame.revision !== scene.revision || !this.posed || this.playing) return;
        this.showFrame(frame);
      },
      swingFrame: (frame) => { if (engine.swing && frame.serial === engine.swing.serial) engine.swing.frames[frame.frame] = frame; },
      connection: (open, sentence) => {
        this.offline = open ? '' : sentence;
        if (open && this.ready) { this.catchUp(); if (this.posed) this.sendPose(); }
      },
      seamRead: (seam) => this.showSeamLive(seam),
      headMoved: (revision) => { if (revision !== scene.revision && !this.waitingEdits) this.catchUp(); },
      said: (sentence) => this.warn(sentence),
    };
  },
  async catchUp() {
    const answer = await fetchJson(`/bench/${this.figureId}/state/`);
    if (answer.ok && answer.data.revision !== scene.revision) await this.take(answer.data);
    if (answer.status === 410) this.warn(answer.data.sentence);
  },
};
