// Bones beyond drawing them: limits, locks, colours, mirroring, templates, the set-up of one limb copied to another.

import { fetchJson } from './api.js';
import { engine } from './engine.js';
import { scene } from './scene.js';

const TEMPLATES = [['biped', 'Biped'], ['four-legged', 'Four-legged'], ['bird', 'Bird'], ['six-legged', 'Six-legged'], ['tail', 'Tail'], ['long-ear', 'Long ears']];

export const rigging = {
  get templateChoices() { return TEMPLATES.map(([key, word]) => ({ key, word })); },
  get someBones() { return this.bones.length > 0 && !this.parts.length; },
  get chosenBones() { return this.bones.map((id) => this.figure.bones.find((bone) => bone.id === id)).filter(Boolean); },
  get boneLimits() { const bone = this.chosenBones[0]; return bone && bone.limits ? bone.limits : { low: '', high: '', soft: '' }; },
  get boneHue() { return this.oneBone ? Math.round(this.oneBone.hue) : 0; },
  get boneStretch() { const of = (which) => (this.oneBone ? this.channel(this.oneBone.id, `stretch.${which}`) : 1); return { along: of('along'), across: of('across') }; },
  get allLocked() { return this.chosenBones.length > 0 && this.chosenBones.every((bone) => bone.locked); },
  get allLinks() { return this.chosenBones.length > 0 && this.chosenBones.every((bone) => bone.connector); },
  get matchRows() { return this.matchesFound ? [...this.matchesFound.parts, ...this.matchesFound.bones].map((row, key) => ({ ...row, key, word: row.made ? 'made' : 'is there' })) : []; },
  get isPosed() { return Object.keys(this.pose.channels).length > 0; },

  toggleOnlyOwn() { this.onlyOwn = !this.onlyOwn; },
  setLength(value) { if (Number(value) >= 1) this.edit({ kind: 'set_length', bone: this.oneBone.id, length: Number(value) }); },
  splitBone() { this.edit({ kind: 'split_bone', bone: this.oneBone.id, pieces: Number(this.pieces) }); },
  dissolveJoint() { this.edit({ kind: 'dissolve_joint', bone: this.oneBone.id }); },
  joinOnto(id) { if (id) this.edit({ kind: 'join_chains', bone: this.oneBone.id, onto: id }); },
  setLimit(name, value) {
    const now = { low: -120, high: 120, soft: 0, ...(this.chosenBones[0].limits || {}) };
    now[name] = Number(value);
    this.edit({ kind: 'set_limits', bones: [...this.bones], limits: { low: Math.min(now.low, 0), high: Math.max(now.high, 0), soft: Math.max(now.soft, 0) } });
  },
  noLimits() { this.edit({ kind: 'set_limits', bones: [...this.bones], limits: null }); },
  lockBones() { this.edit({ kind: 'lock_bones', bones: [...this.bones], locked: !this.allLocked }); },
  onlyLink() { this.edit({ kind: 'only_link', bones: [...this.bones], links: !this.allLinks }); },
  setHue(value) { this.edit({ kind: 'colour_bones', bones: [...this.bones], hue: Number(value) % 360 }); },
  mirrorBones(about) { this.edit({ kind: 'mirror_bones', bones: [...this.bones], about }); },
  bonesFromParts() { this.edit({ kind: 'bones_from_parts' }); },
  /** Limits, spring and treatment of one joint for others: taken from one, given to all that are selected then. */
  copySettings() { if (this.oneBone) { this.settingsOf = this.oneBone.id; this.warnNot(`The settings of ${this.oneBone.name} are kept; select other bones and give them these.`); } },
  get settingsWord() { return this.settingsOf ? `Give them those of ${this.boneName(this.settingsOf)}` : ''; },
  get mayGive() { return Boolean(this.settingsWord) && this.bones.some((id) => id !== this.settingsOf); },
  giveSettings() { this.edit({ kind: 'give_settings', bone: this.settingsOf, to: [...this.bones] }); },
  fitTemplate() { this.edit({ kind: 'fit_template', template: this.template }); },
  async customTemplate(input) {
    const [file] = input.files;
    if (!file) return;
    const text = file.size < 400000 ? await file.text() : '';
    input.value = '';
    let custom;
    try { custom = JSON.parse(text); } catch { this.warn('This is not a template: the file is not JSON.'); return; }
    this.edit({ kind: 'fit_template', custom });
  },
  /** The words of sides to begin with, from the bone's own name. */
  suggestSides() {
    if (!this.oneBone) return;
    const side = this.sidePairs.find(([from]) => this.oneBone.name.split(/[\s_.-]+/).includes(from));
    if (side) [this.copyFind, this.copyPut] = side;
    this.matchesFound = null;
  },
  async previewSetup() {
    const ask = new URLSearchParams({ find: this.copyFind, put: this.copyPut });
    const answer = await fetchJson(`/bench/${this.figureId}/matches/${scene.revision}/${this.oneBone.id}/?${ask}`);
    this.matchesFound = answer.ok ? answer.data : null;
    if (!answer.ok) this.warn(answer.data.sentence);
  },
  copySetup() {
    this.edit({ kind: 'copy_setup', bone: this.oneBone.id, find: this.copyFind, put: this.copyPut });
    this.matchesFound = null;
  },
  takePose() {
    this.edit({ kind: 'take_pose', pose: JSON.parse(JSON.stringify(this.pose)) });
    this.pose = { channels: {} };
  },
  setStretch(which, value) {
    const { rest, low, high } = this.quantity(`stretch.${which}`);
    this.setChannels(this.oneBone.id, { [`stretch.${which}`]: Math.min(Math.max(Number(value) || rest, low), high) });
  },
  /** Back to rest for one kind of posing only. */
  kindToRest(kind) { this.keepChannels((id, name) => name.split('.')[0] !== kind); this.sendPose(); },
  bindFigure() { this.edit({ kind: 'bind_figure' }); this.warnNot('Binding and tuning every part; a large figure takes some seconds.'); },
  warnNot(sentence) { this.message = sentence; this.warning = false; },

  /** Where the server says the pointer means to be; the last asked wins. */
  async snapAt(point, show) {
    engine.snapAsked = (engine.snapAsked || 0) + 1;
    const asked = engine.snapAsked;
    const within = 14 / engine.camera.scale;
    const answer = await fetchJson(`/bench/${this.figureId}/snap/${scene.revision}/?x=${point[0].toFixed(1)}&y=${point[1].toFixed(1)}&within=${within.toFixed(1)}`);
    if (asked === engine.snapAsked && answer.ok) show(answer.data.point, answer.data.word);
  },
  /** Bones that are drawn: all, or only those of what is selected and what moves it. */
  shownBones() {
    if (!this.onlyOwn || !(this.parts.length || this.bones.length)) return null;
    const own = new Set(this.bones);
    for (const part of this.figure.parts.filter((one) => this.parts.includes(one.id))) {
      if (part.binding.bone) own.add(part.binding.bone);
      for (const ref of part.binding.influences || []) own.add(ref);
    }
    for (const bone of this.figure.bones) if (own.has(bone.parent) && this.bones.includes(bone.parent)) own.add(bone.id);
    return own;
  },
};
