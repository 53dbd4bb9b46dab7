// The net of a part.

import { bench } from '../page/bench.js';
import { scene } from '../page/scene.js';

export const mesh = {
  showMesh: false,
  tolerance: 0.5,
  regionEdge: 12,
  margin: 2,
  countBefore: 0,
  get smoothingRounds() {
    const part = bench.influences.weightedPart;
    const found = part && part.deformers.find((one) => one.kind === 'delta_mush');
    return found ? found.rounds : 0;
  },
  get meshWords() {
    const part = bench.influences.weightedPart;
    if (!part) return '';
    const chosen = bench.weights.vertices.length ? `, ${bench.weights.vertices.length} chosen` : '';
    return `${part.binding.mesh.vertex_count} vertices${chosen}${part.binding.manual_mask ? ', some weighted by hand' : ''}`;
  },
  remesh() {
    bench.history.edit({ kind: 'remesh', parts: bench.selection.selectedParts(), count: bench.binding.vertexCount });
    this.showMesh = true;
  },
  remeshEdge(edge) {
    if (edge) bench.history.edit({ kind: 'remesh', parts: bench.selection.selectedParts(), edge: Number(edge) });
    this.showMesh = true;
  },
  /** The mesh laid anew, finer, within the circle around the chosen vertices. */
  remeshRegion() {
    const [start] = scene.blocks[bench.influences.weightedPart.id];
    const spots = bench.weights.vertices.map((k) => [
      scene.geometry.rest[2 * (start + k)],
      scene.geometry.rest[2 * (start + k) + 1],
    ]);
    const at = [0, 1].map((axis) => spots.reduce((sum, spot) => sum + spot[axis], 0) / spots.length);
    const radius = Math.max(...spots.map((spot) => Math.hypot(spot[0] - at[0], spot[1] - at[1])));
    if (!(radius > 1)) {
      bench.page.warn('Choose the vertices of the region first, with a loop.');
      return;
    }
    bench.history.edit({
      kind: 'remesh_region',
      part: bench.influences.weightedPart.id,
      at,
      radius: radius * 1.05,
      edge: Number(this.regionEdge),
    });
    bench.weights.vertices = [];
  },
  thinOut() {
    this.countBefore = bench.influences.weightedPart ? bench.influences.weightedPart.binding.mesh.vertex_count : 0;
    bench.history.edit({
      kind: 'thin_mesh',
      parts: bench.selection.selectedParts(),
      tolerance: Number(this.tolerance),
    });
    this.showMesh = true;
  },
  removeVertices() {
    if (bench.influences.weightedPart && bench.weights.vertices.length) {
      bench.history.edit({
        kind: 'remove_vertices',
        part: bench.influences.weightedPart.id,
        vertices: [...bench.weights.vertices],
      });
      bench.weights.vertices = [];
    }
  },
  keepEdge(keep) {
    if (bench.weights.vertices.length === 2)
      bench.history.edit({
        kind: 'keep_edge',
        part: bench.influences.weightedPart.id,
        ends: [...bench.weights.vertices],
        keep,
      });
    else bench.page.warn('Choose the two vertices the edge runs between.');
  },
  setMush(rounds) {
    bench.history.edit({ kind: 'set_delta_mush', parts: bench.selection.selectedParts(), rounds: Number(rounds) });
  },
  savedWordsOfThin() {
    return this.countBefore &&
      bench.influences.weightedPart &&
      this.countBefore > bench.influences.weightedPart.binding.mesh.vertex_count
      ? `${this.countBefore - bench.influences.weightedPart.binding.mesh.vertex_count} vertices saved.`
      : '';
  },
};
