// Weights: brush, table, views.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';
import { unpack } from '../page/buffers.js';

const MODES = [
  ['add', 'Add'],
  ['take', 'Take'],
  ['set', 'Set'],
  ['even', 'Even out'],
  ['pull', 'Pull'],
];

const VIEWS = [
  ['blend', 'all bones, blended'],
  ['strongest', 'the strongest bone'],
  ['single', 'the bone chosen'],
  ['difference', 'what the last change did'],
];

export const weights = {
  showWeights: false,
  vertices: [],
  weightTable: { bones: [], rows: [] },
  weightView: 'blend',
  brush: { mode: 'add', radius: 40, strength: 0.3, fall_off: 1, value: 1, mirrored: false },
  get brushModes() {
    return MODES.map(([key, word]) => ({ key, word }));
  },
  get weightViews() {
    return VIEWS.map(([key, word]) => ({ key, word }));
  },
  get paintBoneName() {
    const id = bench.selection.bones[0];
    return id ? bench.page.boneName(id) : '';
  },
  get paintWords() {
    if (!bench.influences.weightedPart) return '';
    return this.paintBoneName
      ? `Strokes give weight of ${this.paintBoneName}.`
      : 'Choose the bone to give weight of: click it in the list or on the sheet.';
  },
  get tableHead() {
    return this.weightTable.bones.map((id) => ({
      id,
      name: bench.page.boneName(id),
      colour: bench.page.state.colours[id],
    }));
  },
  get tableRows() {
    return this.weightTable.rows.map((row) => ({
      vertex: row.vertex,
      manual: row.manual,
      cells: row.weights.map((weight, k) => ({
        key: `${row.vertex} ${k}`,
        weight,
        bone: this.weightTable.bones[k],
        label: `weight of ${bench.page.boneName(this.weightTable.bones[k])} at vertex ${row.vertex}`,
      })),
    }));
  },
  async loadTable() {
    const part = bench.influences.weightedPart;
    if (!part || !this.vertices.length || bench.page.stageKey !== 'binding') {
      this.weightTable = { bones: [], rows: [] };
      return;
    }
    const answer = await fetchJson(
      `/bench/${bench.page.figureId}/weights/${scene.revision}/${part.id}/?vertices=${this.vertices.slice(0, 40).join(',')}`,
    );
    if (answer.ok) this.weightTable = answer.data;
  },
  typeWeight(vertex, bone, value) {
    bench.history.edit({
      kind: 'set_weights',
      part: bench.influences.weightedPart.id,
      bone,
      weight: Math.min(Math.max(Number(value) || 0, 0), 1),
      vertices: [vertex],
    });
  },
  fillWeight(weight) {
    if (!bench.selection.bones[0]) {
      bench.page.warn('Choose a bone first: click it in the list or on the sheet.');
      return;
    }
    bench.history.edit({
      kind: 'set_weights',
      part: bench.influences.weightedPart.id,
      bone: bench.selection.bones[0],
      weight,
      vertices: this.vertices.length ? [...this.vertices] : null,
    });
  },
  evenWeights() {
    bench.history.edit({
      kind: 'even_weights',
      part: bench.influences.weightedPart.id,
      rounds: 2,
      vertices: this.vertices.length ? [...this.vertices] : null,
    });
  },
  letGoVertices() {
    bench.history.edit({
      kind: 'let_go',
      part: bench.influences.weightedPart.id,
      vertices: this.vertices.length ? [...this.vertices] : null,
    });
  },
  /** Colours of the weights as chosen; the server works them out. */
  async loadTint() {
    if (!this.showWeights || bench.page.stageKey !== 'binding') return;
    const { revision } = scene;
    const bone = bench.selection.bones[0];
    const plain = this.weightView === 'blend' || (this.weightView !== 'strongest' && !bone);
    if (plain) {
      engine.stage.setTint(scene.geometry.tint);
      bench.sheet.redraw();
      return;
    }
    const ask = new URLSearchParams({ view: this.weightView, bone: bone || '', against: String(engine.before || '') });
    const answer = await fetch(`/bench/${bench.page.figureId}/tint/${revision}/?${ask}`);
    if (!answer.ok || revision !== scene.revision) return;
    engine.stage.setTint(unpack(await answer.arrayBuffer()).tint);
    bench.sheet.redraw();
  },
  /** Colours of one part while a stroke is drawn over it. */
  showStroke({ start, colours }) {
    if (!engine.tint || engine.tint.length !== scene.geometry.tint.length)
      engine.tint = new Uint8Array(scene.geometry.tint);
    engine.tint.set(colours, start * 4);
    engine.stage.setTint(engine.tint);
    bench.sheet.redraw();
  },
  /** The vertex of the selected part nearest to a point, by its number in the part, or null beyond reach. */
  vertexNear(point) {
    const part = bench.influences.weightedPart;
    if (!part) return null;
    const [start, count] = scene.blocks[part.id];
    let best = null;
    let least = 12 / engine.camera.scale;
    for (let k = 0; k < count; k += 1) {
      const gap = Math.hypot(
        scene.vertices[2 * (start + k)] - point[0],
        scene.vertices[2 * (start + k) + 1] - point[1],
      );
      if (gap < least) {
        least = gap;
        best = k;
      }
    }
    return best;
  },
  verticesWithin(loop) {
    const [start, count] = scene.blocks[bench.influences.weightedPart.id];
    const inside = ([x, y]) => {
      let odd = false;
      for (let i = 0, j = loop.length - 1; i < loop.length; j = i, i += 1) {
        const [xi, yi] = loop[i];
        const [xj, yj] = loop[j];
        if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
      }
      return odd;
    };
    return Array.from({ length: count }, (_, k) => k).filter((k) =>
      inside([scene.vertices[2 * (start + k)], scene.vertices[2 * (start + k) + 1]]),
    );
  },
};
