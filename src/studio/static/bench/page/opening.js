// Opening the bench, and taking over new states of the figure from edits, undo and other tabs.

import { EditQueue, fetchJson } from './api.js';
import { Live } from './live.js';
import { Overlay } from '../sheet/overlay.js';
import { Painter } from '../sheet/painter.js';
import { bench } from './bench.js';
import { engine } from './engine.js';
import { scene, setScene } from './scene.js';
import { merge } from './merging.js';
import { unpack } from './buffers.js';

const KEPT = 24; // geometries of revisions and facings that were looked at

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
    const show = () => {
      section.classList.toggle('folded', folded.has(word));
      button.setAttribute('aria-expanded', String(!folded.has(word)));
    };
    button.addEventListener('click', () => {
      if (!folded.delete(word)) folded.add(word);
      localStorage.setItem('folded-sections', JSON.stringify([...folded]));
      show();
    });
    show();
  }
}

export const opening = {
  /** Open the figure the page is about; `watch` calls its second argument whenever what the first reads changes. */
  async begin(watch) {
    const figureId = document.body.dataset.figure;
    bench.page.figureId = figureId;
    this.recall(JSON.parse(sessionStorage.getItem(`view-${figureId}`) || '{}'));
    engine.stage = await Painter.create(document.getElementById('stage'), `${document.body.dataset.static}shaders/`);
    engine.stage.broken = () => this.paintAnew();
    engine.overlay = new Overlay(document.getElementById('overlay'), document.getElementById('lines'), engine.camera);
    engine.queue = new EditQueue(figureId, this.queueListener());
    const answer = await fetchJson(`/bench/${figureId}/state/?facing=${bench.facings.wanted}`);
    if (!answer.ok) {
      bench.page.warn(answer.data.sentence);
      return;
    }
    await this.take(answer.data);
    foldable();
    bench.sheet.resize();
    engine.camera.fit(bench.page.figure.sheet);
    engine.live = new Live(figureId, this.liveListener());
    bench.pointer.listen();
    bench.page.ready = true;
    if (bench.posing.posed) bench.posing.sendPose();
    const kept = [
      () => bench.page.stageKey,
      () => bench.posing.posed,
      () => bench.posing.pose,
      () => bench.mesh.showMesh,
      () => bench.weights.showWeights,
      () => bench.sheet.showBones,
      () => bench.findings.findingsOpen,
      () => bench.facings.wanted,
    ];
    for (const read of kept) watch(read, () => this.remember());
    for (const module of bench.modules) if (module.watch) module.watch(watch);
    bench.sheet.redraw();
    bench.deliveries.loadJobs();
  },
  /** How the bench was looked at when it was left. */
  recall(stored) {
    const { stageKey, posed, pose, showMesh, showWeights, showBones, findingsOpen, facing } = stored;
    if (facing !== undefined) bench.facings.wanted = facing;
    if (stageKey !== undefined) bench.page.stageKey = stageKey;
    if (posed !== undefined) bench.posing.posed = posed;
    if (pose !== undefined) bench.posing.pose = pose;
    if (showMesh !== undefined) bench.mesh.showMesh = showMesh;
    if (showWeights !== undefined) bench.weights.showWeights = showWeights;
    if (showBones !== undefined) bench.sheet.showBones = showBones;
    if (findingsOpen !== undefined) bench.findings.findingsOpen = findingsOpen;
  },
  remember() {
    const view = {
      stageKey: bench.page.stageKey,
      posed: bench.posing.posed,
      pose: bench.posing.pose,
      showMesh: bench.mesh.showMesh,
      showWeights: bench.weights.showWeights,
      showBones: bench.sheet.showBones,
      findingsOpen: bench.findings.findingsOpen,
      facing: bench.facings.wanted,
    };
    sessionStorage.setItem(`view-${bench.page.figureId}`, JSON.stringify(view));
  },
  /** A new state of the figure, from opening, an edit, undo, or another tab. */
  async take(state) {
    if (bench.facings.passedBy(state)) {
      engine.queue.revision = state.revision;
      await this.catchUp(true);
      return;
    }
    const geometry = state.geometry === scene.geometryKey ? scene.geometry : await this.geometryOf(state);
    if (!geometry) return;
    if (bench.page.state && state.changed < bench.page.state.changed) return; // overtaken; undo makes the revision an older one
    if (bench.page.state && state.revision !== bench.page.state.revision) engine.before = scene.revision;
    const reshaped = geometry !== scene.geometry; // else all is painted as it was
    setScene(state, geometry);
    if (reshaped) engine.stage.setGeometry(geometry, state);
    engine.override = null;
    engine.handleDrag = null;
    engine.trying = false;
    engine.queue.revision = state.revision;
    if (bench.page.state) merge(bench.page.state, state, bench.raw);
    else bench.page.state = state;
    engine.tint = null;
    for (const module of bench.modules) if (module.taken) module.taken(state);
    engine.stage
      .loadPictures(() => bench.sheet.redraw())
      .then(() => {
        bench.sheet.redraw();
        requestAnimationFrame(() => {
          engine.painted = engine.painted || performance.now();
        });
        bench.findings.loadFindings(state.seen);
      });
    engine.queue.work();
    bench.sheet.redraw();
  },
  /** Show another state of the figure at once, in a posed frame where it is posed; the page takes it over after. */
  show(state, geometry, frame) {
    setScene(state, geometry);
    engine.stage.setGeometry(geometry, state);
    engine.mirrored = Boolean(state.facings && state.facings.mirrored);
    if (bench.sheet.mirrored !== engine.camera.mirrored) bench.sheet.resize();
    if (frame) bench.sheet.showFrame(frame);
    bench.sheet.redraw();
  },
  /** The vertices, triangles and tints of a revision; null where it is gone. */
  async geometryOf(state) {
    const known = engine.geometries.get(state.geometry);
    if (known) return known;
    const answer = await fetch(`/bench/${bench.page.figureId}/geometry/${state.seen}/`);
    if (!answer.ok) return null;
    const geometry = unpack(await answer.arrayBuffer());
    engine.geometries.set(state.geometry, geometry);
    while (engine.geometries.size > KEPT) engine.geometries.delete(engine.geometries.keys().next().value);
    return geometry;
  },
  /** Painting failed: the geometry is handed over anew, which makes all of its buffers again. */
  paintAnew() {
    bench.page.warn('The figure could not be painted; it is handed to the screen anew.');
    engine.stage.setGeometry(scene.geometry, bench.page.state);
    engine.stage.setVertices(scene.vertices);
    bench.weights.loadTint();
    bench.sheet.redraw();
  },
  queueListener() {
    return {
      accepted: (state) => {
        bench.page.offline = '';
        if (!bench.page.warning) bench.page.message = '';
        this.take(state);
      },
      caughtUp: (state) => this.take(state),
      refused: (sentence) => {
        engine.override = null;
        bench.page.warn(sentence);
        bench.sheet.redraw();
      },
      waiting: (count) => {
        bench.page.waitingEdits = count;
      },
      offline: (sentence) => {
        bench.page.offline = `not saved yet: ${sentence}`;
      },
    };
  },
  liveListener() {
    return {
      stroke: (frame) => {
        if (frame.revision === scene.revision && bench.tools.toolKey === 'brush') bench.weights.showStroke(frame);
      },
      frame: (frame) => {
        if (engine.awaited && engine.awaited.seen === frame.revision) engine.awaited.come(frame);
        if (frame.revision !== scene.revision || bench.playing.playing) return;
        if (!bench.posing.posed && !engine.trying) return;
        bench.sheet.showFrame(frame);
      },
      swingFrame: (frame) => {
        if (engine.swing && frame.serial === engine.swing.serial) engine.swing.frames[frame.frame] = frame;
      },
      connection: (open, sentence) => {
        bench.page.offline = open ? '' : sentence;
        if (open && bench.page.ready) {
          this.catchUp();
          if (bench.posing.posed) bench.posing.sendPose();
        }
      },
      stepped: (channels) => bench.steps.stepped(channels),
      swinging: (moves) => bench.springs.swinging(moves),
      seamRead: (seam) => bench.liveSeam.showSeamLive(seam),
      headMoved: (revision) => {
        if (revision !== bench.page.state.revision && !bench.page.waitingEdits) this.catchUp();
      },
      said: (sentence) => bench.page.warn(sentence),
    };
  },
  async catchUp(whatever = false) {
    const answer = await fetchJson(`/bench/${bench.page.figureId}/state/?facing=${bench.facings.wanted}`);
    if (answer.ok && (whatever || answer.data.seen !== scene.revision)) await this.take(answer.data);
    if (answer.status === 410) bench.page.warn(answer.data.sentence);
  },
};
