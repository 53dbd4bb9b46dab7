// Treatments of seams: what lies where, what is proposed, what a person sets.

import { fetchJson } from './api.js';
import { engine } from './engine.js';
import { scene } from './scene.js';

const WAYS = { nothing: 'As drawn', cover: 'Cover', trim: 'Trim', gusset: 'Gusset', cap: 'Round ends', cap_cover: 'Round ends, cover', cap_trim: 'Round ends, trim', blend_cover: 'Widths blended, cover' };
const KINDS = { cover: 'Cover', trim: 'Trim', gusset: 'Gusset', cap: 'Round end', opening: 'Open outline', ink_cut: 'Ink cut', clip: 'Clip', fold: 'Fold', stand_in: 'Stand-in', order: 'Order by pose', stacking: 'Over itself by pose' };
const MEETINGS = {
  limb: { word: 'One limb', why: 'It goes on in two pieces: no line should be seen between them' },
  lies_over: { word: 'It lies over the other', why: 'An arm before a body: its whole outline is meant to show' },
  lies_under: { word: 'It lies under the other', why: 'A leg behind a coat: the outline of what covers it is meant to show' },
  hinge: { word: 'A hinge', why: 'A joint that is meant to be seen, as of a puppet' },
};
const TILES = 5; // pictures side by side in a strip (studio/bench/seams.py)
/** An angle in words; nothing while it is not known yet. */
const told = (angle) => (Number.isFinite(angle) ? `${Math.round(angle)}°` : '');
const wayWord = (one) => (one.to ? `Joint moved ${one.by} px, ${WAYS[one.way].toLowerCase()}` : WAYS[one.way]);
const PAUSE = 350; // ms a joint must stay chosen before ways are tried at it

function tiles(url) {
  return Array.from({ length: TILES }, (_, k) => ({
    key: k, style: { backgroundImage: `url(${url})`, backgroundSize: `${TILES * 100}% 100%`, backgroundPosition: `${(k / (TILES - 1)) * 100}% 0` },
  }));
}

export const treating = {
  get jointTreatments() {
    if (!this.figure || !this.oneBone) return [];
    return this.figure.treatments.filter((one) => ['cover', 'trim', 'gusset'].includes(one.kind) && one.bone === this.oneBone.id);
  },
  /** The cover, trim or gusset at the chosen joint whose numbers the card shows. */
  get laid() {
    const one = this.jointTreatments[0];
    if (!one) return { there: false, kind: '', radius: '', soft: '', share: 0, whole: false, half_line: true };
    return { there: true, kind: one.kind, radius: one.radius === null ? '' : one.radius, soft: one.soft, share: one.share || 0, whole: one.kind === 'trim' ? one.whole : one.radius === null, half_line: one.half_line !== false };
  },
  get laidWords() {
    const one = this.jointTreatments[0];
    if (!one) return '';
    if (one.kind === 'cover') return `Ink-less copy of ${this.partName(one.source)} in front of ${this.partName(one.over)}`;
    if (one.kind === 'trim') return `${this.partName(one.part)} ${one.whole ? 'is' : 'has no ink'} ${one.whole ? 'not drawn ' : ''}where ${this.partName(one.by)} is filled`;
    return `Piece of ${this.partName(one.source)} over ${this.partName(one.over)}`;
  },
  /** All treatments that have to do with what is selected; all there are without a selection. */
  get treatmentRows() {
    if (!this.figure) return [];
    const bone = this.oneBone && this.oneBone.id;
    const mine = (one) => (bone && (one.bone === bone || (one.switch && one.switch.bone === bone))) || this.parts.some((id) => [one.part, one.by, one.source, one.over, one.in_front_of, ...(one.parts || [])].includes(id));
    return this.figure.treatments.filter((one) => (bone || this.parts.length ? mine(one) : !['cover', 'trim', 'gusset'].includes(one.kind))).map((one) => ({ id: one.id, kind: KINDS[one.kind], words: this.treatmentWords(one) }));
  },
  get laidOpen() { return Boolean(this.oneBone) || this.parts.length > 0; },
  treatmentWords(one) {
    const when = one.switch ? `, ${this.switchWords(one.switch)}` : '';
    if (one.kind === 'clip') return `${this.partName(one.part)} ${one.erased ? 'is erased where' : 'shows only inside'} ${this.partName(one.by)}${one.erased ? ' is' : ''}${when}`;
    if (one.kind === 'order') return `${this.partName(one.part)} in front of ${this.partName(one.in_front_of)}${when}`;
    if (one.kind === 'stand_in') return `${this.partName(one.part)} for ${one.parts.map((ref) => this.partName(ref)).join(' and ')}${when}`;
    if (one.kind === 'ink_cut') return one.parts.map((ref) => this.partName(ref)).join(', ');
    if (one.kind === 'cover' || one.kind === 'gusset') return `${this.partName(one.source)} over ${this.partName(one.over)}`;
    if (one.kind === 'trim') return `${this.partName(one.part)} by ${this.partName(one.by)}`;
    return `${this.partName(one.part)}${when}`;
  },
  switchWords(one) {
    const reach = one.low <= -360 ? `up to ${Math.round(one.high)}°` : one.high >= 360 ? `${Math.round(one.low)}° or more` : `${Math.round(one.low)}° to ${Math.round(one.high)}°`;
    return `only while ${this.boneName(one.bone)} is turned ${reach}${one.stretch ? ` stretched ${one.stretch} times` : ''}`;
  },
  liftTreatment(id) { this.edit({ kind: 'lift_treatment', treatment: id }); },

  /** Lay what lies at the joint anew with other numbers. */
  setLaid(change) {
    const one = this.jointTreatments[0];
    if (!one) return;
    const kept = { bone: one.bone, soft: one.soft, inks: one.inks };
    if (one.radius !== null) kept.radius = one.radius;
    if (one.kind === 'cover') this.edit({ kind: 'lay_cover', ...kept, source: one.source, over: one.over, whole: one.radius === null, half_line: one.half_line, ...change });
    else if (one.kind === 'trim') this.edit({ kind: 'lay_trim', ...kept, part: one.part, by: one.by, whole: one.whole, everywhere: one.radius === null, ...change });
    else this.edit({ kind: 'lay_gusset', ...kept, source: one.source, over: one.over, cut: one.cut, share: one.share, ...change });
  },
  setLaidNumber(name, value) { if (value !== '') this.setLaid({ [name]: Number(value) }); },
  setLaidWhole(on) { this.setLaid({ whole: on }); },
  setHalfLine(on) { this.setLaid({ half_line: on }); },
  /** The colours of ink the parts at the joint have; one may be treated alone. */
  get laidInks() {
    const one = this.jointTreatments[0];
    if (!one) return [];
    const part = this.figure.parts.find((each) => each.id === (one.part || one.source));
    return ((part && part.inks) || []).map((ink) => ink.colour);
  },
  get laidInk() { const one = this.jointTreatments[0]; return one && one.inks ? one.inks[0] : ''; },
  setLaidInk(colour) { this.setLaid({ inks: colour ? [colour] : null }); },

  /** What a joint would look like treated in each way, as soon as it stays chosen for a moment. */
  get tryRows() {
    if (!this.tried) return [];
    return this.tried.trials.map((one) => ({
      way: one.key, word: wayWord(one), shown: this.tryWay === one.key, best: one.key === this.tried.best, now: one.key === this.tried.now,
      words: one.refused || (one.worst ? `${one.badness.toFixed(1)} × what may show` : 'nothing shows'),
      label: `${wayWord(one)}: ${one.refused || one.worst || 'nothing shows'}`,
    }));
  },
  get tryNote() { return this.tryBusy ? 'trying each way through the range …' : ''; },
  get nowTiles() { return this.seamNow ? tiles(`/bench/${this.figureId}/seam/${scene.revision}/${this.oneBone.id}/now.png`) : []; },
  get tryTiles() { return this.tried && this.tryWay && this.tryWay !== this.tried.now ? tiles(`/bench/${this.figureId}/seam/${this.tried.revision}/${this.tried.bone}/${this.tryWay}.png`) : []; },
  get pairRows() {
    return this.nowTiles.map((now, k) => {
      const degrees = (this.seamNow.shown || [])[k];
      return { key: k, degrees, angle: told(degrees), label: `turn the joint to ${told(degrees)}`, now: now.style, then: this.tryTiles[k] ? this.tryTiles[k].style : {} };
    });
  },
  /** What the two parts at the chosen joint are: told by their looks, or as a person said. */
  get meetingSaid() { const said = this.oneBone && (this.figure.meetings || []).find((one) => one.bone === this.oneBone.id); return said ? said.kind : ''; },
  get meetingRows() {
    if (!this.seamNow) return [];
    const now = this.meetingSaid || this.seamNow.meets;
    return Object.entries(MEETINGS).map(([kind, { word, why }]) => ({ kind, word, why, on: kind === now }));
  },
  get meetingWords() { return this.meetingSaid ? 'As you said; press it again to let looks tell.' : 'Told by bones, widths and colours; press another if it is wrong.'; },
  sayMeeting(kind) { this.edit({ kind: 'say_meeting', bones: [this.oneBone.id], meets_as: kind === this.meetingSaid ? null : kind, alike: this.meetsAlike }); },
  /** In the tray's place lie the pictures of the chosen joint, as long as they are not folded away. */
  get stripWanted() { return this.stageKey === 'seams' && this.stripOpen && Boolean(this.seamNow); },
  get twoWanted() { return this.stripWanted && this.tryTiles.length > 0; },
  /** Nothing moves under the hand of who poses: the strip comes and grows at rest only. */
  settleStrip() {
    if (this.posed && this.stripWanted) return;
    this.stripShown = this.stripWanted;
    this.stripTwo = this.twoWanted;
  },
  get stripName() { return this.oneBone ? this.oneBone.name : ''; },
  get stripWords() { return `${this.stripName} through its range`; },
  get stripNow() { return this.tryTiles.length ? 'before' : 'as it is'; },
  openStrip() { this.stripOpen = true; },
  closeStrip() { this.stripOpen = false; },
  /** Pose the chosen joint at an angle. */
  turnTo(degrees) {
    if (!Number.isFinite(degrees)) return;
    if (!this.posed) this.turnOver();
    this.poseTurn(this.oneBone.id, degrees);
  },
  get mayTreat() { return this.mayBuild && this.tried && this.tryWay && this.tryWay !== this.tried.now; },
  get triedNow() { return this.tried && this.tried.trials.find((one) => one.key === this.tryWay); },
  get treatWord() { return this.tryWay === 'nothing' ? 'Take it off' : `${this.triedNow ? wayWord(this.triedNow) : ''} here and at its like`; },
  /** Why moving the joint is proposed. */
  get movedWords() { return this.triedNow && this.triedNow.to ? `The joint lies ${this.triedNow.by} px off where the outlines of both pieces agree: turned about it, one of them stands out on one side or falls short on the other. Moving it there changes nothing at rest.` : ''; },
  async loadTried() {
    const bone = this.oneBone;
    const { revision } = scene;
    this.keepVoids();
    if (this.seamWatched && !this.seamAt) this.sendPose();
    if (!bone || this.stageKey !== 'seams' || !this.seamJoints.includes(bone.id)) { this.tried = null; return; }
    if (this.tried && this.tried.bone === bone.id && this.tried.revision === revision) return;
    this.tried = null;
    await new Promise((done) => setTimeout(done, PAUSE));
    if (revision !== scene.revision || !this.oneBone || this.oneBone.id !== bone.id) return;
    this.tryBusy = true;
    const answer = await fetchJson(`/bench/${this.figureId}/proposal/${revision}/${bone.id}/`);
    this.tryBusy = false;
    if (revision !== scene.revision || !this.oneBone || this.oneBone.id !== bone.id || !answer.ok) return;
    this.tried = { ...answer.data, revision };
    this.tryWay = answer.data.best === answer.data.now && answer.data.trials.length > 1 ? '' : answer.data.best;
  },
  showWay(way) { this.tryWay = way; },
  treatHere() { this.edit({ kind: 'treat_joints', joints: [{ bone: this.oneBone.id, way: this.triedNow.way, to: this.triedNow.to }] }); },

  /** Every joint where a limb goes on: the best way for each, shown side by side, done on consent. */
  async proposeAll() {
    const { revision } = scene;
    this.proposals = [];
    this.proposing = true;
    for (const id of this.seamJoints) {
      const answer = await fetchJson(`/bench/${this.figureId}/proposal/${revision}/${id}/`);
      if (revision !== scene.revision || !this.proposing || this.stageKey !== 'seams') { this.proposing = false; return; }
      if (answer.ok && answer.data.best !== answer.data.now) {
        const strip = (way) => `/bench/${this.figureId}/seam/${revision}/${id}/${way}.png`;
        const best = answer.data.trials.find((one) => one.key === answer.data.best);
        const row = { id, way: best.way, to: best.to, on: true, name: this.boneName(id), now: tiles(strip('now'))[1].style, then: tiles(strip(best.key))[1].style, words: `${wayWord(best)}: ${best.worst || 'nothing shows'}` };
        this.proposals = [...this.proposals, row];
      }
    }
    this.proposing = false;
    if (!this.proposals.length) this.warnNot('Every joint is treated as well as the program knows.');
  },
  stopProposing() { this.proposing = false; },
  toggleProposal(id) { this.proposals = this.proposals.map((one) => (one.id === id ? { ...one, on: !one.on } : one)); },
  get proposalsOn() { return this.proposals.filter((one) => one.on); },
  get proposalWord() { return `Treat ${this.proposalsOn.length} joint${this.proposalsOn.length === 1 ? '' : 's'}`; },
  treatAll() {
    this.edit({ kind: 'treat_joints', joints: this.proposalsOn.map(({ id, way, to }) => ({ bone: id, way, to })), alike: false });
    this.proposals = [];
  },

  /** What comes to light of the part behind at the chosen joint, shown on the sheet until asked away or another is chosen. */
  get voidWords() {
    if (!this.voids) return '';
    const part = this.partName(this.voids.part);
    if (!this.voids.unpainted) return `${this.voids.lit} px² of ${part} come to light over the range; all of it is painted.`;
    return `${this.voids.lit} px² of ${part} come to light over the range, and ${this.voids.unpainted} px² beyond are not painted: up to ${Math.ceil(this.voids.reach)} px outwards.`;
  },
  /** Where the part lacks paint, under which neighbours it can be grown. */
  get growRows() {
    if (!this.voids) return [];
    return this.voids.grow.map((one, key) => ({ key, edit: { kind: 'grow_under', ...one }, word: `Grow ${this.partName(one.part)} by ${one.by} px${this.voids.grow.length > 1 ? ` under ${this.partName(one.neighbour)}` : ''}` }));
  },
  /** What the map would be of: the chosen joint, or else the chosen part. */
  get voidsOf() { return this.seamNow ? this.oneBone.id : this.onePart ? this.onePart.id : ''; },
  async showVoids() {
    const { revision } = scene;
    this.voids = null;
    const answer = await fetchJson(`/bench/${this.figureId}/voids/${revision}/${this.voidsOf}/`);
    if (!answer.ok) { this.warn(answer.data.sentence); return; }
    const picture = await fetch(answer.data.picture);
    if (revision !== scene.revision || !picture.ok) return;
    engine.voids = await createImageBitmap(await picture.blob());
    this.voids = { ...answer.data, revision };
    this.redraw();
  },
  keepVoids() { if (this.voids && (this.voids.of !== this.voidsOf || this.voids.revision !== scene.revision)) this.hideVoids(); },
  hideVoids() { this.voids = null; engine.voids = null; this.redraw(); },
  growVoid(key) { this.edit(this.growRows[key].edit); },

  /** Kept trial poses, and every joint read with its neighbours turned and in each of them. */
  get poseRows() { return this.figure ? this.figure.poses.map(({ name }) => ({ name })) : []; },
  keepPose() { this.edit({ kind: 'keep_pose', name: this.poseName || `pose ${this.figure.poses.length + 1}`, pose: JSON.parse(JSON.stringify(this.pose)) }); this.poseName = ''; },
  forgetPose(name) { this.edit({ kind: 'forget_pose', name }); },
  takeUpPose(name) {
    this.posed = true;
    this.pose = { channels: { ...this.figure.poses.find((one) => one.name === name).pose.channels } };
    this.sendPose();
  },
  async readTogether() {
    const { revision } = scene;
    this.together = { busy: true, done: 0, read: 0, misses: [], before: null };
    for (const id of this.seamJoints) {
      const answer = await fetchJson(`/bench/${this.figureId}/together/${revision}/${id}/`);
      if (revision !== scene.revision || !this.together.busy || this.stageKey !== 'seams') { this.together = { ...this.together, busy: false }; return; }
      const found = answer.ok ? answer.data : { read: 0, misses: [], before: null };
      const before = found.before === null ? this.together.before : (this.together.before || 0) + found.before;
      this.together = { busy: true, before, done: this.together.done + 1, read: this.together.read + found.read, misses: [...this.together.misses, ...found.misses].sort((a, b) => b.times - a.times) };
    }
    this.together = { ...this.together, busy: false };
    this.loadFindings(revision);
  },
  stopTogether() { this.together = { ...this.together, busy: false }; },
  get togetherBusy() { return Boolean(this.together && this.together.busy); },
  get togetherWords() {
    if (!this.together) return '';
    const { busy, done, read, misses, before } = this.together;
    if (busy) return `${done} of ${this.seamJoints.length} joints read together …`;
    return `${read} readings, ${misses.length} beyond what is tolerated${before === null ? '' : `; of the joints changed last, ${before} before`}`;
  },
  get togetherRows() { return this.together ? this.together.misses.slice(0, 8).map((one, key) => ({ key, text: one.sentence })) : []; },

  /** A switch as the fields tell it, or none. */
  switchSet() {
    const { bone, low, high, fade, stretch } = this.switchFields;
    if (!bone) return null;
    return { bone, low: low === '' ? -360 : Number(low), high: high === '' ? 360 : Number(high), fade: Number(fade) || 0, stretch: stretch === '' ? null : Number(stretch) };
  },
  clipPart() { this.edit({ kind: 'clip_part', part: this.onePart.id, by: this.clipBy, erased: this.clipErased, unseen: this.clipUnseen, switch: this.switchSet() }); },
  orderByPose() {
    if (!this.switchSet()) { this.warn('Choose the bone whose turn brings the part to the front.'); return; }
    this.edit({ kind: 'order_by_pose', part: this.onePart.id, in_front_of: this.clipBy, switch: this.switchSet() });
  },
  standInFor() {
    if (!this.switchSet()) { this.warn('Choose the bone and the angles at which the part stands in.'); return; }
    const [first, ...others] = this.parts;
    this.edit({ kind: 'stand_in_for', part: first, parts: others, switch: this.switchSet() });
  },
  makeStandIn() { this.edit({ kind: 'make_stand_in', bone: this.oneBone.id }); },
  addFold() { this.edit({ kind: 'draw_fold', bone: this.oneBone.id }); },
  cutInk() { this.edit({ kind: 'cut_ink', parts: this.selectedParts(), inks: this.inksAsked() }); },
  /** The colours of lines of the selected parts, of which one alone may be opened or cut. */
  get partInks() {
    const inks = this.figure ? this.figure.parts.filter((one) => this.parts.includes(one.id)).flatMap((one) => one.inks || []) : [];
    return [...new Set(inks.map((ink) => ink.colour))];
  },
  inksAsked() { return this.partInks.includes(this.inkAsked) ? [this.inkAsked] : null; },
  reorder(to) { this.edit({ kind: 'reorder_parts', parts: this.selectedParts(), to }); },
  putInFront() { this.edit({ kind: 'reorder_parts', parts: this.selectedParts(), to: 'just_in_front_of', other: this.clipBy }); },
  get allBones() { return this.figure ? this.figure.bones.map(({ id, name }) => ({ id, name })) : []; },
  get otherParts() { return this.figure ? this.figure.parts.filter((one) => !this.parts.includes(one.id)).map(({ id, name }) => ({ id, name })) : []; },
  setTolerance(name, value) { if (value !== '') this.edit({ kind: 'set_tolerances', tolerances: { ...this.figure.tolerances, [name]: Number(value) } }); },
};
