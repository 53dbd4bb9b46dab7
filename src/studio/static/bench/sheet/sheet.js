// The sheet: painting it, and what is shown on it for a moment.

import { bench } from '../page/bench.js';
import { drawBrushRim, drawChosen, drawCross, drawHandles, drawLine, drawSnap, drawZone } from './aids.js';
import { drawGhost } from '../facings/ghost.js';
import { flatColour } from './false_colours.js';
import { drawMap, drawPaper, drawReference } from './paper.js';
import { engine } from '../page/engine.js';
import { handlesOf } from '../artwork/tools/reshape.js';
import { Seen, framed } from './seen.js';
import { restMatrices, scene } from '../page/scene.js';

const seen = { paper: new Seen(), stage: new Seen() };

/** Where handles of warps are posed, by their ids. */
function placesOf(handles) {
  const ids = scene.figure.warps.flatMap((warp) => warp.handles.map((one) => one.id));
  return new Map(ids.map((id, k) => [id, [handles[2 * k], handles[2 * k + 1]]]));
}

/** @returns {HTMLCanvasElement} */
function canvasOf(id) {
  return /** @type {HTMLCanvasElement} */ (document.getElementById(id));
}

export const sheet = {
  showBones: true,
  zoom: 1,
  cleanLook: false,
  falseColours: false,
  viewMirrored: false,
  viewTurn: 0,
  get zoomWords() {
    return [
      `${Math.round(this.zoom * 100)} %`,
      this.viewMirrored ? 'mirrored' : '',
      this.viewTurn ? `turned ${this.viewTurn}°` : '',
    ]
      .filter(Boolean)
      .join(', ');
  },
  /** Whether what is shown is seen in a mirror: as one chose, or because its facing mirrors another. */
  get mirrored() {
    return this.viewMirrored !== engine.mirrored;
  },
  resize() {
    const box = document.getElementById('sheet').getBoundingClientRect();
    const tools = /** @type {HTMLElement} */ (document.querySelector('.tools')); // in a narrow window they take two rows
    engine.camera.top = Math.max(46, tools.offsetTop + tools.offsetHeight + 6);
    const { camera } = engine;
    // turned layers are as large as the window's diagonal, so that its corners are painted, too
    const across = Math.ceil(Math.hypot(box.width, box.height));
    const [width, height] = this.viewTurn ? [across, across] : [box.width, box.height];
    camera.window = [box.width, box.height];
    camera.turn = (this.viewTurn * Math.PI) / 180;
    camera.mirrored = this.mirrored;
    camera.resize(width, height, box.right);
    for (const id of ['paper', 'stage', 'lines', 'overlay']) {
      const { style } = document.getElementById(id);
      Object.assign(style, {
        width: `${width}px`,
        height: `${height}px`,
        left: `${(box.width - width) / 2}px`,
        top: `${(box.height - height) / 2}px`,
      });
      style.transform =
        this.viewTurn || this.mirrored ? `scaleX(${this.mirrored ? -1 : 1}) rotate(${this.viewTurn}deg)` : '';
    }
    for (const id of ['paper', 'stage']) {
      const canvas = canvasOf(id);
      canvas.width = Math.round(width * devicePixelRatio);
      canvas.height = Math.round(height * devicePixelRatio);
    }
    seen.paper.forget();
    seen.stage.forget();
    document.getElementById('overlay').setAttribute('viewBox', `0 0 ${width} ${height}`);
    this.redraw();
  },
  redraw() {
    if (engine.dirty) return;
    engine.dirty = true;
    requestAnimationFrame(() => {
      engine.dirty = false;
      this.draw();
    });
  },
  /** The sheet of paper, and the picture to go by where it lies under the art. */
  drawPaper() {
    const { camera } = engine;
    const { reference } = bench.reference;
    const below = reference && !reference.above ? reference : null;
    const film = bench.film.shown();
    const plain = bench.posing.posed || this.cleanLook;
    const looks = [
      JSON.stringify([scene.figure.sheet, below, film, bench.ghost.looks]),
      plain,
      document.documentElement.dataset.theme,
    ];
    if (!seen.paper.changed(camera.scale, ...camera.origin, below && engine.reference, ...looks)) return;
    const paper = canvasOf('paper').getContext('2d');
    paper.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
    paper.clearRect(0, 0, camera.width, camera.height);
    drawPaper(paper, camera, scene.figure.sheet, plain, getComputedStyle(document.documentElement));
    if (below) drawReference(paper, camera, below, engine.reference);
    if (film && !film.above) drawReference(paper, camera, film, film.loaded);
    drawGhost(paper, camera, true);
  },
  draw() {
    if (!bench.page.state) return;
    const { camera, stage, overlay } = engine;
    this.zoom = camera.scale;
    this.drawPaper();
    document.getElementById('overlay').classList.toggle('clean', this.cleanLook);
    document.getElementById('lines').classList.toggle('clean', this.cleanLook);
    document.getElementById('overlay').classList.toggle('behind', Boolean(bench.page.stage.bonesBehind));
    stage.flat = this.falseColours ? flatColour : null;
    const weights = bench.weights.showWeights && bench.page.stageKey === 'binding' && !this.cleanLook;
    const chosen = new Set(
      bench.selection.parts.length ? bench.selection.parts : bench.selection.movedBy(bench.selection.bones),
    );
    const weighted = new Set(
      scene.figure.parts.filter((part) => part.binding.kind === 'weighted').map((part) => part.id),
    );
    const tinted = weights ? (part) => (chosen.size ? chosen.has(part) : weighted.has(part)) : null;
    const painted = [
      stage.changes,
      stage.instead,
      stage.flat,
      weights && [...chosen].join(),
      bench.picking.alone.join(),
    ];
    if (seen.stage.changed(camera.scale, ...camera.origin, ...painted))
      stage.paint(stage.canvas.width, stage.canvas.height, camera.scale * devicePixelRatio, camera.origin, -1, {
        tinted,
        alone: bench.picking.alone.length ? new Set(bench.picking.alone) : null,
      });
    const springs = new Set(scene.figure.springs.flatMap((one) => one.bones));
    overlay.drawBones(scene.figure, {
      colours: bench.page.state.colours,
      selected: new Set(bench.selection.bones),
      springs,
      shown: this.showBones && !['artwork', 'delivery'].includes(bench.page.stageKey),
      override: engine.override,
      only: bench.bone.shownBones(),
    });
    const parts = chosen.size ? [...chosen] : [...weighted];
    overlay.lines.draw({
      mesh: bench.mesh.showMesh && bench.page.stageKey === 'binding',
      weights,
      parts,
      selectedBone: bench.selection.bones[0],
    });
    if (bench.reference.reference && bench.reference.reference.above)
      drawReference(overlay.canvas.getContext('2d'), camera, bench.reference.reference, engine.reference);
    if (bench.underneath.voids && bench.page.stageKey === 'seams' && !bench.posing.posed)
      drawMap(overlay.canvas.getContext('2d'), camera, bench.underneath.voids.corner, engine.voids);
    overlay.drawPivots(
      bench.page.stageKey === 'artwork' && !bench.posing.posed
        ? scene.figure.parts.filter((part) => part.drawing.pivot && bench.selection.parts.includes(part.id))
        : [],
    );
    overlay.drawFrames(
      ['brush', 'vertices'].includes(bench.tools.toolKey) || (bench.page.stage.unframed && bench.page.stage.unframed())
        ? []
        : bench.selection.parts,
    );
    this.drawAids(overlay.canvas.getContext('2d'), camera);
    overlay.drawDraft(engine.draft ? engine.draft.points : [], engine.draft ? engine.draft.pointer : null);
  },
  drawAids(context, camera) {
    const binding = bench.page.stageKey === 'binding' && !bench.posing.posed;
    if (binding && bench.selection.oneBone) drawZone(context, camera, bench.zones.zones);
    if (binding && bench.influences.weightedPart)
      drawChosen(
        context,
        camera,
        scene.blocks[bench.influences.weightedPart.id],
        bench.weights.vertices,
        engine.vertexShift,
      );
    if (bench.tools.toolKey === 'brush')
      drawBrushRim(context, camera, engine.brushAt, bench.weights.brush.radius, bench.weights.brush.fall_off);
    for (const module of bench.modules) if (module.draw) module.draw(context, camera);
    drawLine(context, camera, engine.line);
    drawSnap(context, camera, engine.snap);
    if (bench.tools.toolKey === 'reshape' && bench.selection.onePart && scene.vertices === scene.geometry.rest)
      drawHandles(context, camera, handlesOf(bench.selection.onePart));
    drawCross(context, camera, engine.cross);
  },
  drawStroke(points) {
    engine.line = points;
    this.redraw();
  },
  showBrush(point) {
    engine.brushAt = point;
    this.redraw();
  },
  showSnap(snap) {
    engine.snap = snap;
    this.redraw();
  },
  showFrame(frame) {
    scene.vertices = frame.vertices;
    scene.matrices = frame.matrices;
    engine.stage.setVertices(frame.vertices);
    engine.stage.setSwitches(frame.amounts, frame.order, frame.opacities);
    engine.carried = frame.carried || null;
    engine.handlePlaces = engine.trying ? null : placesOf(frame.handles);
    for (const module of bench.modules) if (module.framed) module.framed(frame);
    this.redraw();
    framed();
  },
  showRest() {
    engine.handlePlaces = null;
    scene.vertices = scene.geometry.rest;
    scene.matrices = restMatrices(scene.figure.bones.length);
    engine.stage.setVertices(scene.vertices);
    engine.stage.setSwitches(bench.sets.amountsAtRest(), bench.page.state.order);
    this.redraw();
  },
  /** Show parts turned about a pivot by so many degrees; nothing is changed. */
  showTurned(ids, pivot, degrees) {
    const [cos, sin] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
    this.showPlaced(ids, (x, y) => [
      pivot[0] + (x - pivot[0]) * cos - (y - pivot[1]) * sin,
      pivot[1] + (x - pivot[0]) * sin + (y - pivot[1]) * cos,
    ]);
  },
  showMoved(ids, by) {
    this.showPlaced(ids, (x, y) => [x + by[0], y + by[1]]);
  },
  /** Show parts with each vertex where `place` puts it from rest; nothing is changed. */
  showPlaced(ids, place) {
    const vertices = Float32Array.from(scene.geometry.rest);
    for (const id of ids) {
      const [start, count] = scene.blocks[id];
      for (let k = start; k < start + count; k += 1)
        [vertices[2 * k], vertices[2 * k + 1]] = place(vertices[2 * k], vertices[2 * k + 1]);
    }
    scene.vertices = vertices;
    engine.stage.setVertices(vertices);
    this.redraw();
  },
};
