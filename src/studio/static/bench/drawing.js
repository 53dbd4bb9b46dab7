// Drawing what is there: paper, stage, bones and lines, once an animation frame.

import { engine } from './engine.js';
import { drawBrushRim, drawChosen, drawCross, drawHandles, drawLine, drawSnap, drawZone } from './aids.js';
import { handlesOf } from './tools/reshape.js';
import { drawPaper, drawMap, drawReference } from './paper.js';
import { restMatrices, scene } from './scene.js';

/** A colour of its own for every piece (r, g, b, amount), the same at every look; covers and other copies striped. */
function flatColour(item) {
  let number = 0;
  for (const letter of item.part) number = (number * 31 + letter.charCodeAt(0)) % 997;
  const hue = ((number * 137.508) % 360) / 60; // the golden angle keeps neighbours apart
  const part = (shift) => 0.25 + 0.6 * Math.min(Math.max(Math.abs(((hue + shift) % 6) - 3) - 1, 0), 1);
  return [part(0), part(4), part(2), item.variant === 'full' ? 1 : 2];
}

export const drawing = {
  resize() {
    const box = document.getElementById('sheet').getBoundingClientRect();
    const tools = document.querySelector('.tools'); // in a narrow window they take two rows
    engine.camera.top = Math.max(46, tools.offsetTop + tools.offsetHeight + 6);
    const { camera } = engine;
    // turned layers are as large as the window's diagonal, so that its corners are painted, too
    const across = Math.ceil(Math.hypot(box.width, box.height));
    const [width, height] = this.viewTurn ? [across, across] : [box.width, box.height];
    camera.window = [box.width, box.height];
    camera.turn = (this.viewTurn * Math.PI) / 180;
    camera.mirrored = this.viewMirrored;
    camera.resize(width, height, box.right);
    for (const id of ['paper', 'stage', 'lines', 'overlay']) {
      const { style } = document.getElementById(id);
      Object.assign(style, { width: `${width}px`, height: `${height}px`, left: `${(box.width - width) / 2}px`, top: `${(box.height - height) / 2}px` });
      style.transform = this.viewTurn || this.viewMirrored ? `scaleX(${this.viewMirrored ? -1 : 1}) rotate(${this.viewTurn}deg)` : '';
    }
    for (const id of ['paper', 'stage']) {
      const canvas = document.getElementById(id);
      canvas.width = Math.round(width * devicePixelRatio);
      canvas.height = Math.round(height * devicePixelRatio);
    }
    document.getElementById('overlay').setAttribute('viewBox', `0 0 ${width} ${height}`);
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
    drawPaper(paper, camera, scene.figure.sheet, this.posed || this.cleanLook, getComputedStyle(document.documentElement));
    if (this.reference && !this.reference.above) drawReference(paper, camera, this.reference, engine.reference);
    document.getElementById('overlay').classList.toggle('clean', this.cleanLook);
    document.getElementById('lines').classList.toggle('clean', this.cleanLook);
    stage.flat = this.falseColours ? flatColour : null;
    const weights = this.showWeights && this.stageKey === 'binding' && !this.cleanLook;
    const chosen = new Set(this.parts.length ? this.parts : this.movedBy(this.bones));
    const weighted = new Set(scene.figure.parts.filter((part) => part.binding.kind === 'weighted').map((part) => part.id));
    const tinted = weights ? (part) => (chosen.size ? chosen.has(part) : weighted.has(part)) : null;
    stage.paint(stage.canvas.width, stage.canvas.height, camera.scale * devicePixelRatio, camera.origin, -1, { tinted, alone: this.alone.length ? new Set(this.alone) : null });
    const springs = new Set(scene.figure.springs.flatMap((one) => one.bones));
    overlay.drawBones(scene.figure, { colours: this.state.colours, selected: new Set(this.bones), springs, shown: this.showBones && !['artwork', 'delivery'].includes(this.stageKey), override: engine.override, only: this.shownBones() });
    const parts = chosen.size ? [...chosen] : [...weighted];
    overlay.drawLines({ mesh: this.showMesh && this.stageKey === 'binding', weights, parts, selectedBone: this.bones[0] });
    if (this.reference && this.reference.above) drawReference(overlay.canvas.getContext('2d'), camera, this.reference, engine.reference);
    if (this.voids && this.stageKey === 'seams' && !this.posed) drawMap(overlay.canvas.getContext('2d'), camera, this.voids.corner, engine.voids);
    overlay.drawPivots(this.stageKey === 'artwork' && !this.posed ? scene.figure.parts.filter((part) => part.pivot && this.parts.includes(part.id)) : []);
    overlay.drawFrames(['delivery'].includes(this.stageKey) || this.toolKey === 'brush' || this.toolKey === 'vertices' ? [] : this.parts);
    this.drawAids(overlay.canvas.getContext('2d'), camera);
    overlay.drawDraft(engine.draft ? engine.draft.points : [], engine.draft ? engine.draft.pointer : null);
  },
  drawAids(context, camera) {
    const binding = this.stageKey === 'binding' && !this.posed;
    if (binding && this.oneBone) drawZone(context, camera, this.zones);
    if (binding && this.weightedPart) drawChosen(context, camera, scene.blocks[this.weightedPart.id], this.vertices, engine.vertexShift);
    if (this.toolKey === 'brush') drawBrushRim(context, camera, engine.brushAt, this.brush.radius, this.brush.fall_off);
    drawLine(context, camera, engine.line);
    drawSnap(context, camera, engine.snap);
    if (this.toolKey === 'reshape' && this.onePart && scene.vertices === scene.geometry.rest) drawHandles(context, camera, handlesOf(this.onePart));
    drawCross(context, camera, engine.cross);
  },
  drawStroke(points) { engine.line = points; this.redraw(); },
  showBrush(point) { engine.brushAt = point; this.redraw(); },
  showSnap(snap) { engine.snap = snap; this.redraw(); },
  showFrame(frame) {
    scene.vertices = frame.vertices;
    scene.matrices = frame.matrices;
    engine.stage.setVertices(frame.vertices);
    engine.stage.setSwitches(frame.amounts, frame.order);
    this.redraw();
  },
  showRest() {
    scene.vertices = scene.geometry.rest;
    scene.matrices = restMatrices(scene.figure.bones.length);
    engine.stage.setVertices(scene.vertices);
    engine.stage.setSwitches(this.state.amounts, this.state.order);
    this.redraw();
  },
};
