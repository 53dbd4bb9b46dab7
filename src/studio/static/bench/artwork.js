// The Artwork stage: readings of a part, inks, pivots, tints, merging, the reference picture, remedies.

import { fetchJson, fetchPicture, post } from './api.js';
import { engine } from './engine.js';
import { scene } from './scene.js';

export const BLENDS = [
  'normal', 'multiply', 'screen', 'overlay', 'darken', 'lighten', 'color-dodge', 'color-burn', 'hard-light', 'soft-light', 'difference',
  'exclusion', 'hue', 'saturation', 'color', 'luminosity', 'plus-lighter', 'source-atop', 'destination-in', 'destination-out', 'destination-atop',
];
const PAUSE = 250; // ms
const NOTHING_READ = { lineWidth: 0, lineSpread: 0, inked: 0, pieces: 1, holes: 0, softness: 0, bend: 0, suggestedPivot: null };

const REPAINTS = new Set(['make_cap', 'grow_under', 'fill_holes', 'erase_strays', 'harden_edges', 'redraw_line', 'lay_cap', 'blend_widths']);

export const artwork = {
  get blends() { return BLENDS; },
  get readings() { return this.partReadings || NOTHING_READ; },
  get lineWords() {
    const { lineWidth, lineSpread, inked } = this.readings;
    return lineWidth ? `${lineWidth} px, spread ${lineSpread}, on ${inked} % of the edge` : 'none found';
  },
  get pieceWords() {
    const { pieces, holes, softness, bend } = this.readings;
    return [`${pieces} piece${pieces > 1 ? 's' : ''}`, holes ? `${holes} hole${holes > 1 ? 's' : ''}` : '', `edge ${softness} px`, bend ? `bends ${bend}°` : ''].filter(Boolean).join(', ');
  },
  get inkRows() {
    const inks = this.onePart && this.onePart.inks;
    return (inks || []).map((ink, index) => ({ ...ink, index, key: `${ink.colour}${ink.on}` }));
  },
  get inkWords() {
    if (!this.onePart) return '';
    if (this.onePart.inks) return this.onePart.inks.length ? '' : 'No colour counts as ink.';
    return this.onePart.apart ? 'Ink and fill came apart in the drawing.' : 'Found by itself along the edge.';
  },
  get pivot() { return (this.onePart && this.onePart.pivot) || null; },
  get pivotX() { return this.pivot ? this.pivot[0] : ''; },
  get pivotY() { return this.pivot ? this.pivot[1] : ''; },
  get tint() { return (this.onePart && this.onePart.tint) || { colour: '#3a5a80', amount: 0 }; },
  get partGroup() { return this.onePart ? this.figure.groups.find((one) => one.id === this.onePart.group) || null : null; },
  get reference() { return (this.figure && this.figure.reference) || null; },
  get canMerge() { return this.parts.length > 1; },
  get canFlatten() { return Boolean(this.onePart && this.onePart.blend !== 'normal'); },
  get isLocked() { return this.chosenParts().some((part) => part.locked); },
  get isLeftOut() { return this.chosenParts().some((part) => part.left_out); },
  get scaleNow() { return this.figure ? this.figure.sheet.scale : 1; },
  get hasSource() { return Boolean(this.state && this.state.source); },
  get waitingRenewal() { return this.state ? this.state.renewal : ''; },
  get standsFor() {
    if (!this.onePart) return '';
    if (this.onePart.alternate_of) return `an alternate of ${this.partName(this.onePart.alternate_of)}`;
    return this.onePart.facing_of ? `a facing of ${this.partName(this.onePart.facing_of)}` : '';
  },
  chosenParts() { return this.figure ? this.figure.parts.filter((part) => this.parts.includes(part.id)) : []; },

  /** The findings of a revision, once edits have come to rest for a moment. */
  async loadFindings(revision) {
    await new Promise((done) => setTimeout(done, PAUSE));
    if (revision !== scene.revision) return;
    const answer = await fetchJson(`/bench/${this.figureId}/findings/${revision}/`);
    if (!answer.ok || revision !== scene.revision) return;
    this.found = answer.data.findings.map((one, index) => ({ ...one, key: `${index}-${one.sentence}` }));
    // the sheet has the room while nothing is open, unless a person said otherwise
    if (!this.findingsChosen) this.findingsOpen = this.found.length > 0 || this.notices.length > 0;
  },
  async loadReadings() {
    const part = this.onePart;
    this.partReadings = null;
    if (!part || this.stageKey !== 'artwork') return;
    const answer = await fetchJson(`/bench/${this.figureId}/part/${scene.revision}/${part.id}/`);
    if (answer.ok && this.onePart && this.onePart.id === part.id) this.partReadings = answer.data;
  },
  remedy(edit, word) {
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    if (REPAINTS.has(edit.kind)) this.showPreview(edit, word);
    else this.edit(edit);
  },
  /** What an edit would repaint is shown first: before, after, and what differs. */
  async showPreview(edit, word) {
    this.previewed = { edit, word, sentence: 'being painted …', style: '' };
    const answer = await fetchPicture(`/bench/${this.figureId}/preview/${scene.revision}/`, { edit });
    if (!this.previewed || this.previewed.edit !== edit) return;
    if (answer.url) {
      this.previewed = { edit, word, sentence: '', style: answer.url };
      this.$nextTick(() => document.querySelector('.preview .btn-brass').focus());
    } else { this.previewed = null; this.warn(answer.sentence); }
  },
  get previewTiles() {
    if (!this.previewed || !this.previewed.style) return [];
    return ['before', 'after', 'what differs'].map((word, k) => ({ word, style: { backgroundImage: `url(${this.previewed.style})`, backgroundSize: '300% 100%', backgroundPosition: `${k * 50}% 0` } }));
  },
  get previewTitle() { return this.previewed ? this.previewed.word : ''; },
  get previewSentence() { return this.previewed ? this.previewed.sentence : ''; },
  doPreviewed() { const { edit } = this.previewed; this.leavePreview(); this.edit(edit); },
  leavePreview() { if (this.previewed && this.previewed.style) URL.revokeObjectURL(this.previewed.style); this.previewed = null; },

  lockParts() { this.edit({ kind: 'lock_parts', parts: this.selectedParts(), locked: !this.isLocked }); },
  toggleLock(id) {
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    this.edit({ kind: 'lock_parts', parts: [id], locked: !this.figure.parts.find((part) => part.id === id).locked });
  },
  viewAlone(id) {
    const wanted = id ? [id] : this.selectedParts();
    const same = wanted.length === this.alone.length && wanted.every((one) => this.alone.includes(one));
    this.alone = same ? [] : wanted;
  },
  setTint(colour, amount) { this.edit({ kind: 'tint_parts', parts: this.selectedParts(), tint: Number(amount) > 0 ? { colour, amount: Math.min(Number(amount), 1) } : null }); },
  tintColour(colour) { this.setTint(colour, this.tint.amount || 0.3); },
  tintAmount(amount) { this.setTint(this.tint.colour, amount); },
  setBlend(blend) { this.edit({ kind: 'blend_parts', parts: this.selectedParts(), blend }); },
  paintGroup(change) {
    const { id, opacity, blend, isolated } = this.partGroup;
    this.edit({ kind: 'paint_group', group: id, opacity, blend, isolated, ...change });
  },
  groupOpacity(value) { this.paintGroup({ opacity: Number(value) }); },
  groupBlend(blend) { this.paintGroup({ blend }); },
  selectGroup() {
    const inside = new Set([this.onePart.group]);
    for (const group of this.figure.groups) if (inside.has(group.parent)) inside.add(group.id);
    this.parts = this.figure.parts.filter((part) => inside.has(part.group)).map((part) => part.id);
  },
  selectAll() { this.bones = []; this.parts = this.figure.parts.map((part) => part.id); },
  mergeParts() { this.edit({ kind: 'merge_parts', parts: this.selectedParts() }); },
  flatten() {
    const at = this.figure.parts.indexOf(this.onePart);
    const below = this.figure.parts.slice(0, at).reverse().find((part) => part.visible && !part.left_out);
    if (!below) { this.warn('Nothing lies below this part.'); return; }
    this.edit({ kind: 'merge_parts', parts: [below.id, this.onePart.id] });
  },
  deleteParts() {
    const count = this.parts.length;
    const bound = this.chosenParts().filter((part) => part.binding.kind !== 'unbound').length;
    if (bound && !confirm(`${bound} of ${count} part(s) are bound. Delete?`)) return;
    this.edit({ kind: 'delete_parts', parts: this.selectedParts() });
  },
  straighten() { this.edit({ kind: this.onePart.strip ? 'leave_curved' : 'straighten', parts: [this.onePart.id] }); },

  placePivot(axis, value) {
    if (value === '') { this.edit({ kind: 'set_pivot', part: this.onePart.id, to: null }); return; }
    const to = [...(this.pivot || this.readings.suggestedPivot || [0, 0])];
    to[axis] = Number(value);
    this.edit({ kind: 'set_pivot', part: this.onePart.id, to });
  },
  suggestPivots() { this.edit({ kind: 'suggest_pivots', parts: this.selectedParts() }); },
  makeCap() { this.edit({ kind: 'make_cap', part: this.onePart.id }); },
  /** Show parts turned about a pivot by so many degrees; nothing is changed. */
  showTurned(ids, pivot, degrees) {
    const [cos, sin] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
    this.showPlaced(ids, (x, y) => [pivot[0] + (x - pivot[0]) * cos - (y - pivot[1]) * sin, pivot[1] + (x - pivot[0]) * sin + (y - pivot[1]) * cos]);
  },
  showMoved(ids, by) { this.showPlaced(ids, (x, y) => [x + by[0], y + by[1]]); },
  /** Show parts with each vertex where `place` puts it from rest; nothing is changed. */
  showPlaced(ids, place) {
    const vertices = Float32Array.from(scene.geometry.rest);
    for (const id of ids) {
      const [start, count] = scene.blocks[id];
      for (let k = start; k < start + count; k += 1) [vertices[2 * k], vertices[2 * k + 1]] = place(vertices[2 * k], vertices[2 * k + 1]);
    }
    scene.vertices = vertices;
    engine.stage.setVertices(vertices);
    this.redraw();
  },

  /** How the chosen part is turned and scaled from its drawing. */
  get turned() {
    const steps = this.onePart ? this.onePart.remade : [];
    const last = steps[steps.length - 1];
    return last && last.kind === 'turned' ? { turn: last.turn, scale: last.scale, there: true } : { turn: 0, scale: [1, 1], there: false };
  },
  get isCut() { return Boolean(this.onePart && this.onePart.remade.some((one) => one.kind === 'severed')); },
  get cutBones() {
    const part = this.onePart;
    if (!part) return [];
    const within = (x, y) => x >= part.place[0] && y >= part.place[1] && x <= part.place[0] + part.size[0] && y <= part.place[1] + part.size[1];
    return this.figure.bones.filter((bone) => bone.parent && within(...bone.joint)).map((bone) => ({ id: bone.id, name: bone.name }));
  },
  turnDrawing({ turn, scale, about }) {
    const even = ((turn % 360) + 360) % 360;
    const round = (one) => Math.round(one * 1000) / 1000;
    const spot = about ? about.map(round) : null;
    this.edit({ kind: 'turn_part', part: this.onePart.id, turn: round(even > 180 ? even - 360 : even), scale: scale.map(round), about: this.turned.there ? null : spot });
  },
  setTurned(value) { if (value !== '') this.turnDrawing({ ...this.turned, turn: Number(value) }); },
  setScaled(axis, value) {
    const scale = [...this.turned.scale];
    scale[axis] = (Number(value) || 100) / 100;
    this.turnDrawing({ ...this.turned, scale });
  },
  get scaledX() { return Math.round(this.turned.scale[0] * 1000) / 10; },
  get scaledY() { return Math.round(this.turned.scale[1] * 1000) / 10; },
  flipPart(axis) { const scale = [...this.turned.scale]; scale[axis] = -scale[axis]; this.turnDrawing({ turn: -this.turned.turn, scale }); },
  asDrawn() { this.edit({ kind: 'turn_part', part: this.onePart.id }); },
  cutAt(bone) { if (bone) this.edit({ kind: 'cut_part', part: this.onePart.id, bone }); },
  joinAgain() { this.edit({ kind: 'join_again', part: this.onePart.id }); },
  setInks(inks) { this.edit({ kind: 'set_inks', parts: this.selectedParts(), inks }); },
  switchInk(index) { this.setInks(this.onePart.inks.map((ink, k) => (k === index ? { ...ink, on: !ink.on } : ink))); },
  dropInk(index) { this.setInks(this.onePart.inks.filter((ink, k) => k !== index)); },
  findInks() { this.setInks(null); },
  async toggleLifted() {
    this.liftInk = !this.liftInk;
    await this.showLifted();
  },
  async showLifted() {
    engine.stage.instead = null;
    if (this.liftInk && this.stageKey === 'artwork' && this.figure) {
      const parts = this.parts.length ? this.parts : this.figure.parts.map((part) => part.id);
      this.message = 'Lifting the ink off …';
      const answer = await fetchJson(`/bench/${this.figureId}/lifted/${scene.revision}/?parts=${parts.join(',')}`);
      this.message = '';
      if (answer.ok && this.liftInk) {
        engine.stage.instead = answer.data.pictures;
        await engine.stage.loadPictures(() => this.redraw());
      }
    }
    this.redraw();
  },

  /** Fetch the reference picture once; it is drawn under or over the stage. */
  async loadReference() {
    const { reference } = this;
    if (!reference) { engine.reference = null; this.redraw(); return; }
    if (engine.reference && engine.reference.digest === reference.picture) { this.redraw(); return; }
    const answer = await fetch(`/figures/pictures/${reference.picture}.png`);
    if (!answer.ok) return;
    engine.reference = { digest: reference.picture, bitmap: await createImageBitmap(await answer.blob()) };
    this.redraw();
  },
  async addReference(input) {
    const [file] = input.files;
    if (!file) return;
    const body = new FormData();
    body.set('picture', file);
    const answer = await fetchJson(`/bench/${this.figureId}/reference/`, { method: 'POST', body });
    input.value = '';
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    const { sheet } = this.figure;
    const scale = sheet.width / answer.data.size[0];
    this.setReference({ picture: answer.data.picture, place: [-sheet.standing_point[0], -sheet.standing_point[1]], scale, opacity: 0.5, above: false });
  },
  setReference(reference) { this.edit({ kind: 'set_reference', reference }); },
  referenceOpacity(value) { this.setReference({ ...this.reference, opacity: Number(value) }); },
  referenceScale(value) { this.setReference({ ...this.reference, scale: Number(value) }); },
  turnReference() { this.setReference({ ...this.reference, above: !this.reference.above }); },
  dropReference() { this.setReference(null); },

  async changeScale(scale) {
    const answer = await post(`/jobs/scale/${this.figureId}/`, { scale: Number(scale) });
    await this.watchRenewal(answer);
  },
  async renewSheet(input) {
    const [file] = input.files;
    if (!file) return;
    const body = new FormData();
    body.set('art', file);
    body.set('onto', this.figureId);
    this.renewalWords = `Sending ${file.name} …`;
    const answer = await fetchJson('/jobs/import/', { method: 'POST', body });
    input.value = '';
    await this.watchRenewal(answer);
  },
  /** Wait for the sheet to be read, then show what matches what. */
  async watchRenewal(begun) {
    let answer = begun;
    while (answer.ok && !answer.data.over) {
      this.renewalWords = answer.data.stage;
      await new Promise((done) => setTimeout(done, 300));
      answer = await fetchJson(`/jobs/${answer.data.id}/`);
    }
    this.renewalWords = answer.data.sentence;
    if (answer.ok && answer.data.renewal && answer.data.state === 'done') location.href = answer.data.renewal;
  },
};
