// Binding in detail: influences, bend zones, weights by hand, the mesh, ways of following.

import { fetchJson } from './api.js';
import { unpack } from './buffers.js';
import { engine } from './engine.js';
import { scene } from './scene.js';

const MODES = [['add', 'Add'], ['take', 'Take'], ['set', 'Set'], ['even', 'Even out'], ['pull', 'Pull']];
const WAYS = { rigid: 'One bone, whole', weighted: 'Weights', rider: 'Riding' };
const VIEWS = [['blend', 'all bones, blended'], ['strongest', 'the strongest bone'], ['single', 'the bone chosen'], ['difference', 'what the last change did']];

export const NO_ZONE = { there: false, inner: 0, outer: 0, curve: 0, mix: 1, rows: 0, spacing: 0.25, width: 0, solved: false };

export const weighing = {
  get brushModes() { return MODES.map(([key, word]) => ({ key, word })); },
  get weightViews() { return VIEWS.map(([key, word]) => ({ key, word })); },
  get weightedPart() { return this.onePart && this.onePart.binding.kind === 'weighted' ? this.onePart : null; },
  get influenceRows() {
    const part = this.weightedPart;
    if (!part) return [];
    return this.figure.bones.filter((bone) => !bone.connector).map((bone) => ({
      id: bone.id, name: bone.name, colour: this.state.colours[bone.id], on: part.binding.influences.includes(bone.id),
      locked: part.binding.locked.includes(bone.id), chosen: this.bones[0] === bone.id,
    })).sort((a, b) => b.on - a.on);
  },
  get ownInfluences() { return this.influenceRows.filter((row) => row.on); },
  get otherInfluences() { return this.influenceRows.filter((row) => !row.on); },
  get paintBoneName() { const id = this.bones[0]; return id ? this.boneName(id) : ''; },
  get paintWords() {
    if (!this.weightedPart) return '';
    return this.paintBoneName ? `Strokes give weight of ${this.paintBoneName}.` : 'Choose the bone to give weight of: click it in the list or on the sheet.';
  },
  get shelvedWays() { return this.onePart ? this.onePart.shelved.map((one) => ({ kind: one.kind, word: WAYS[one.kind] })) : []; },
  get weightedOthers() { return this.figure ? this.figure.parts.filter((part) => part.binding.kind === 'weighted' && !this.parts.includes(part.id)) : []; },
  get riderNow() { return this.onePart && this.onePart.binding.kind === 'rider' ? this.onePart.binding : null; },
  get unboundNow() { return this.onePart && this.onePart.binding.kind === 'unbound' ? this.onePart.binding : null; },
  get groupOfPart() { return this.onePart ? this.figure.groups.find((one) => one.id === this.onePart.group) || null : null; },
  get zoneNow() { return this.zones.length ? this.zones[0] : NO_ZONE; },
  get zoneWords() {
    if (!this.zones.length) return 'No weighted part bends at this joint.';
    const names = this.zones.map((one) => this.partName(one.part)).join(', ');
    const px = Math.round(this.zoneNow.width);
    return `${names}; the limb is ${px} px wide here.`;
  },
  get zonePx() { const { inner, outer, width } = this.zoneNow; return { inner: Math.round(inner * width), outer: Math.round(outer * width) }; },
  get tunedWords() {
    const before = this.fanBefore;
    if (!before || !this.fanRead) return '';
    const worst = (rows) => ({ width: Math.min(...rows.map((one) => one.width_kept)), area: Math.min(...rows.map((one) => one.area_kept)), folded: Math.max(...rows.map((one) => one.folded)), off: Math.max(...rows.map((one) => Math.max(one.departs, one.waves))) });
    const [was, now] = [worst(before), worst(this.fanRead.readings)];
    const pc = (one) => `${Math.round(one * 100)} %`;
    return `Before and now, at the worst angle: width ${pc(was.width)} → ${pc(now.width)}, area ${pc(was.area)} → ${pc(now.area)}, folded ${was.folded} → ${now.folded}, outline off by ${was.off.toFixed(1)} → ${now.off.toFixed(1)} px`;
  },
  get meshWords() {
    const part = this.weightedPart;
    if (!part) return '';
    const chosen = this.vertices.length ? `, ${this.vertices.length} chosen` : '';
    return `${part.binding.mesh.vertex_count} vertices${chosen}${part.binding.held ? ', some weighted by hand' : ''}`;
  },
  get tableHead() { return this.weightTable.bones.map((id) => ({ id, name: this.boneName(id), colour: this.state.colours[id] })); },
  get tableRows() {
    return this.weightTable.rows.map((row) => ({ vertex: row.vertex, held: row.held, cells: row.weights.map((weight, k) => ({ key: `${row.vertex} ${k}`, weight, bone: this.weightTable.bones[k], label: `weight of ${this.boneName(this.weightTable.bones[k])} at vertex ${row.vertex}` })) }));
  },

  toggleInfluence(id, on) { this.edit({ kind: 'set_influences', parts: this.selectedParts(), add: on ? [id] : [], remove: on ? [] : [id] }); },
  addTicked() { this.edit({ kind: 'set_influences', parts: this.selectedParts(), add: [...this.ticked], remove: [] }); this.ticked = []; },
  setWay(way) { this.edit({ kind: 'set_influences', parts: this.selectedParts(), way }); },
  lockInfluence(id) { const part = this.weightedPart; this.edit({ kind: 'lock_weights', part: part.id, bones: [id], locked: !part.binding.locked.includes(id) }); },
  chooseBone(id) { this.bones = [id]; this.showWeights = true; },
  async loadZones() {
    const bone = this.oneBone;
    if (!bone || this.stageKey !== 'binding') { this.zones = []; return; }
    const answer = await fetchJson(`/bench/${this.figureId}/zone/${scene.revision}/${bone.id}/`);
    if (this.oneBone && this.oneBone.id === bone.id) { this.zones = answer.ok ? answer.data.zones : []; this.redraw(); }
  },
  setZone(name, value) {
    if (value === '') return;
    this.edit({ kind: 'set_zone', bone: this.oneBone.id, [name]: Number(value) });
  },
  setZonePx(name, value) { this.edit({ kind: 'set_zone', bone: this.oneBone.id, [name]: Math.max(Number(value), 1), px: true }); },
  solveZone(solve) { this.edit({ kind: 'set_zone', bone: this.oneBone.id, solve }); },
  /** How the chosen part is drawn where it lies over itself. */
  get stackWords() {
    const part = this.weightedPart;
    if (!part) return '';
    const always = part.binding.stacked.map((id) => this.boneName(id)).join(', then ');
    const posed = this.figure.treatments.filter((one) => one.kind === 'stacking' && one.part === part.id).map((one) => `${one.bones.map((id) => this.boneName(id)).join(', then ')} while ${this.boneName(one.switch.bone)} is turned ${one.switch.low}° to ${one.switch.high}°`);
    return `In front now: ${[always || 'children over their parents', ...posed].join('; ')}.`;
  },
  stackPart() {
    const part = this.weightedPart;
    const { bone, low, high } = this.stackWhile;
    const bones = this.stackOver ? [this.stackOver] : [];
    if (!bone) { this.edit({ kind: 'stack_bones', parts: [part.id], bones }); return; }
    if (!bones.length) { this.warn('Choose the bone whose side comes to the front.'); return; }
    this.edit({ kind: 'stack_by_pose', part: part.id, bones, switch: { bone, low: low === '' ? -360 : Number(low), high: high === '' ? 360 : Number(high) } });
  },
  tuneJoint() { this.edit({ kind: 'tune_joints', bones: [this.oneBone.id] }); this.warnNot('Turning the joint through its range …'); },
  tuneAll() { this.edit({ kind: 'tune_joints' }); this.warnNot('Turning every joint through its range …'); },
  tuneParts() { this.edit({ kind: 'tune_joints', parts: this.selectedParts() }); this.warnNot('Turning the joints of this part …'); },

  async loadTable() {
    const part = this.weightedPart;
    if (!part || !this.vertices.length || this.stageKey !== 'binding') { this.weightTable = { bones: [], rows: [] }; return; }
    const answer = await fetchJson(`/bench/${this.figureId}/weights/${scene.revision}/${part.id}/?vertices=${this.vertices.slice(0, 40).join(',')}`);
    if (answer.ok) this.weightTable = answer.data;
  },
  typeWeight(vertex, bone, value) { this.edit({ kind: 'set_weights', part: this.weightedPart.id, bone, weight: Math.min(Math.max(Number(value) || 0, 0), 1), vertices: [vertex] }); },
  fillWeight(weight) {
    if (!this.bones[0]) { this.warn('Choose a bone first: click it in the list or on the sheet.'); return; }
    this.edit({ kind: 'set_weights', part: this.weightedPart.id, bone: this.bones[0], weight, vertices: this.vertices.length ? [...this.vertices] : null });
  },
  evenWeights() { this.edit({ kind: 'even_weights', part: this.weightedPart.id, rounds: 2, vertices: this.vertices.length ? [...this.vertices] : null }); },
  letGoVertices() { this.edit({ kind: 'let_go', part: this.weightedPart.id, vertices: this.vertices.length ? [...this.vertices] : null }); },
  pruneWeights() { this.edit({ kind: 'prune_weights', parts: this.selectedParts(), most: Number(this.most), least: 0.02 }); },
  mirrorWeights(to) { this.edit({ kind: 'mirror_weights', part: this.weightedPart.id, to }); },
  copyWeightsFrom(id) { if (id) this.edit({ kind: 'copy_weights', source: id, parts: this.selectedParts() }); },
  mergeInto(id) { if (id && this.bones[0]) this.edit({ kind: 'merge_influence', parts: this.selectedParts(), bone: this.bones[0], into: id }); },
  swapWith(id) { if (id && this.bones[0]) this.edit({ kind: 'swap_bones', parts: this.selectedParts(), one: this.bones[0], other: id }); },

  remesh() { this.edit({ kind: 'remesh', parts: this.selectedParts(), count: this.vertexCount }); this.showMesh = true; },
  remeshEdge(edge) { if (edge) this.edit({ kind: 'remesh', parts: this.selectedParts(), edge: Number(edge) }); this.showMesh = true; },
  /** The mesh laid anew, finer, within the circle around the chosen vertices. */
  remeshRegion() {
    const [start] = scene.blocks[this.weightedPart.id];
    const spots = this.vertices.map((k) => [scene.geometry.rest[2 * (start + k)], scene.geometry.rest[2 * (start + k) + 1]]);
    const at = [0, 1].map((axis) => spots.reduce((sum, spot) => sum + spot[axis], 0) / spots.length);
    const radius = Math.max(...spots.map((spot) => Math.hypot(spot[0] - at[0], spot[1] - at[1])));
    if (!(radius > 1)) { this.warn('Choose the vertices of the region first, with a loop.'); return; }
    this.edit({ kind: 'remesh_region', part: this.weightedPart.id, at, radius: radius * 1.05, edge: Number(this.regionEdge) });
    this.vertices = [];
  },
  thinOut() { this.countBefore = this.weightedPart ? this.weightedPart.binding.mesh.vertex_count : 0; this.edit({ kind: 'thin_mesh', parts: this.selectedParts(), tolerance: Number(this.tolerance) }); this.showMesh = true; },
  removeVertices() { if (this.weightedPart && this.vertices.length) { this.edit({ kind: 'remove_vertices', part: this.weightedPart.id, vertices: [...this.vertices] }); this.vertices = []; } },
  keepEdge(keep) { if (this.vertices.length === 2) this.edit({ kind: 'keep_edge', part: this.weightedPart.id, ends: [...this.vertices], keep }); else this.warn('Choose the two vertices the edge runs between.'); },
  setMush(rounds) { this.edit({ kind: 'set_mush', parts: this.selectedParts(), rounds: Number(rounds) }); },
  savedWordsOfThin() { return this.countBefore && this.weightedPart && this.countBefore > this.weightedPart.binding.mesh.vertex_count ? `${this.countBefore - this.weightedPart.binding.mesh.vertex_count} vertices saved.` : ''; },

  followAgain(way) { this.edit({ kind: 'follow_again', parts: this.selectedParts(), way }); },
  rideOnBone(id) { if (id) this.edit({ kind: 'bind_rider', parts: this.selectedParts(), carrier: id }); },
  setTurning(turning) { this.edit({ kind: 'set_rider', parts: this.selectedParts(), turning, pivot: this.riderNow.pivot }); },
  ownPivot(on) { this.edit({ kind: 'set_rider', parts: this.selectedParts(), turning: this.riderNow.turning, pivot: on ? this.onePart.pivot || [this.onePart.place[0] + this.onePart.size[0] / 2, this.onePart.place[1] + this.onePart.size[1] / 2] : null }); },
  groupFollows(bone) { this.edit({ kind: 'group_follows', group: this.groupOfPart.id, bone: bone || null }); },
  stayPut(stays) { this.edit({ kind: 'unbind', parts: this.selectedParts(), stays }); },

  /** Colours of the weights as chosen; the server works them out. */
  async loadTint() {
    if (!this.showWeights || this.stageKey !== 'binding') return;
    const { revision } = scene;
    const bone = this.bones[0];
    const plain = this.weightView === 'blend' || (this.weightView !== 'strongest' && !bone);
    if (plain) { engine.stage.setTint(scene.geometry.tint); this.redraw(); return; }
    const ask = new URLSearchParams({ view: this.weightView, bone: bone || '', against: String(engine.before || '') });
    const answer = await fetch(`/bench/${this.figureId}/tint/${revision}/?${ask}`);
    if (!answer.ok || revision !== scene.revision) return;
    engine.stage.setTint(unpack(await answer.arrayBuffer()).tint);
    this.redraw();
  },
  /** Colours of one part while a stroke is drawn over it. */
  showStroke({ start, colours }) {
    if (!engine.tint || engine.tint.length !== scene.geometry.tint.length) engine.tint = new Uint8Array(scene.geometry.tint);
    engine.tint.set(colours, start * 4);
    engine.stage.setTint(engine.tint);
    this.redraw();
  },
  /** The vertex of the selected part nearest to a point, by its number in the part, or null beyond reach. */
  vertexNear(point) {
    const part = this.weightedPart;
    if (!part) return null;
    const [start, count] = scene.blocks[part.id];
    let best = null;
    let least = 12 / engine.camera.scale;
    for (let k = 0; k < count; k += 1) {
      const gap = Math.hypot(scene.vertices[2 * (start + k)] - point[0], scene.vertices[2 * (start + k) + 1] - point[1]);
      if (gap < least) { least = gap; best = k; }
    }
    return best;
  },
  verticesWithin(loop) {
    const [start, count] = scene.blocks[this.weightedPart.id];
    const inside = ([x, y]) => {
      let odd = false;
      for (let i = 0, j = loop.length - 1; i < loop.length; j = i, i += 1) {
        const [xi, yi] = loop[i];
        const [xj, yj] = loop[j];
        if ((yi > y) !== (yj > y) && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
      }
      return odd;
    };
    return Array.from({ length: count }, (_, k) => k).filter((k) => inside([scene.vertices[2 * (start + k)], scene.vertices[2 * (start + k) + 1]]));
  },
};
