// Every word, list and number the page shows, worked out from the state.

import { ACTIONS } from './actions.js';
import { TOOLS } from './tools/index.js';

const STAGES = [
  { key: 'artwork', word: 'Artwork' }, { key: 'bones', word: 'Bones' }, { key: 'binding', word: 'Binding' },
  { key: 'seams', word: 'Seams' }, { key: 'follow', word: 'Follow-through' }, { key: 'delivery', word: 'Delivery' },
];
const DELIVERIES = [
  { ending: 'png', word: 'This pose', button: 'PNG' }, { ending: 'webm', word: 'The motion, video with alpha', button: 'WebM' },
  { ending: 'webp', word: 'The motion, animated picture', button: 'WebP' }, { ending: 'glb', word: 'Bones, weights and swing', button: 'glTF' },
  { ending: 'ora', word: 'Sheet as layers, in this pose', button: 'OpenRaster' }, { ending: 'findings.ora', word: 'Sheet with a layer of findings', button: 'OpenRaster' },
  { ending: 'voids.ora', word: 'Sheet with layers of what is unpainted', button: 'OpenRaster' }, { ending: 'zip', word: 'Figure archive', button: 'Archive' },
];

export const words = {
  get stages() { return STAGES; },
  get deliveryKinds() { return DELIVERIES; },
  get figure() { return this.state ? this.state.figure : null; },
  get figureName() { return this.figure ? this.figure.name : ''; },
  get findings() { return this.found || []; },
  get findingsWords() { return !this.found ? 'being read …' : this.findings.length ? 'worst first' : 'Nothing is open.'; },
  get notices() { return this.state ? this.state.notices : []; },
  get undoWord() { return this.state && this.state.undo ? `Undo: ${this.state.undo}` : ''; },
  get redoWord() { return this.state && this.state.redo ? `Redo: ${this.state.redo}` : ''; },
  get unsaved() { return this.waitingEdits > 0 || Boolean(this.offline); },
  get savedWords() {
    if (this.offline) return this.offline;
    if (this.waitingEdits) return 'saving …';
    if (!this.state) return 'opening …';
    const at = new Date(this.state.saved);
    return `saved ${at.getHours()}:${String(at.getMinutes()).padStart(2, '0')}${this.state.mayEdit ? '' : ', to look at only'}`;
  },
  get zoomWords() { return [`${Math.round(this.zoom * 100)} %`, this.viewMirrored ? 'mirrored' : '', this.viewTurn ? `turned ${this.viewTurn}°` : ''].filter(Boolean).join(', '); },
  get placeWords() { return this.place || '0, 0'; },
  get hintWords() { return this.message || (this.ready && TOOLS[this.toolKey].hint ? TOOLS[this.toolKey].hint(this) : ''); },
  get aiming() { return Boolean(TOOLS[this.toolKey].aiming); },
  get mayBuild() { return Boolean(this.state && this.state.mayEdit && !this.posed); },
  get whyNot() { return this.posed ? 'Building is done at rest: press R to turn the sheet over.' : 'This figure is shared with you to look at.'; },
  get bindsParts() { return this.stageKey === 'binding' && !this.posed && this.parts.length > 0; },
  get oneBone() { return this.bones.length === 1 && !this.bindsParts ? this.figure.bones.find((bone) => bone.id === this.bones[0]) || null : null; },
  get somePart() { return this.parts.length > 0 && (this.bindsParts || !this.bones.length); },
  get onePart() { return this.somePart && this.parts.length === 1 ? this.figure.parts.find((part) => part.id === this.parts[0]) || null : null; },
  get cardTitle() {
    if (this.stageKey === 'delivery') return 'Delivery';
    if (this.oneBone) return this.oneBone.name;
    if (this.onePart) return this.onePart.name;
    if (this.bones.length > 1) return `${this.bones.length} bones`;
    return this.somePart ? `${this.parts.length} parts` : this.figureName;
  },
  get cardSubtitle() {
    if (!this.figure) return '';
    if (this.stageKey === 'delivery') return `${this.figureName}, at ${this.figure.rate} frames per second`;
    if (this.oneBone) return this.oneBone.parent ? `hangs on ${this.boneName(this.oneBone.parent)}` : 'a root bone';
    if (this.onePart) return this.followsWords;
    return `${this.figure.parts.length} parts, ${this.figure.bones.length} bones, ${this.figure.treatments.length} treatments`;
  },
  get thingName() { return this.oneBone ? this.oneBone.name : this.onePart ? this.onePart.name : ''; },
  get hasName() { return this.stageKey !== 'delivery' && Boolean(this.oneBone || this.onePart); },
  get showsPose() { return this.stageKey !== 'delivery' && this.posed && Boolean(this.oneBone); },
  get lockedWords() { return this.state && !this.mayBuild && this.stageKey !== 'delivery' ? this.whyNot : ''; },
  get boneTurn() { return this.oneBone ? Math.round(this.turnOf(this.oneBone.id) * 10) / 10 : 0; },
  get bonePlace() {
    const bone = this.oneBone;
    if (!bone) return { jx: 0, jy: 0, tx: 0, ty: 0, length: '' };
    const length = Math.hypot(bone.tip[0] - bone.joint[0], bone.tip[1] - bone.joint[1]);
    return { jx: bone.joint[0], jy: bone.joint[1], tx: bone.tip[0], ty: bone.tip[1], length: Math.round(length * 10) / 10 };
  },
  get boneParent() { return this.oneBone ? this.oneBone.parent || '' : ''; },
  get boneChoices() { return this.figure ? this.figure.bones.map((bone) => ({ id: bone.id, name: bone.name, colour: this.state.colours[bone.id] })) : []; },
  get parentChoices() { return this.boneChoices.filter((bone) => !this.bones.includes(bone.id)); },
  get partFacts() {
    const part = this.onePart;
    if (!part) return { opacity: 1, blend: 'normal', order: 1, size: '', group: '', visible: true, x: 0, y: 0 };
    const group = this.figure.groups.find((one) => one.id === part.group);
    return { opacity: part.opacity, blend: part.blend, order: this.figure.parts.indexOf(part) + 1, size: `${part.size[0]} × ${part.size[1]} px`, group: group ? group.name : '', visible: part.visible, x: part.place[0], y: part.place[1] };
  },
  get chosenWords() { return this.parts.length > 1 ? `These ${this.parts.length} parts` : 'This part'; },
  get followsWords() {
    const part = this.onePart;
    if (!part) return this.somePart ? `${this.parts.length} parts are selected.` : '';
    const binding = part.binding;
    if (binding.kind === 'rigid') return `follows ${this.boneName(binding.bone)} as a whole`;
    if (binding.kind === 'rider') return `rides on ${this.partName(binding.carrier)}`;
    if (binding.kind === 'weighted') return `${binding.mesh.vertex_count} vertices, moved by ${binding.influences.map((ref) => this.boneName(ref)).join(', ')}`;
    return 'follows nothing yet';
  },
  get seamWords() {
    if (!this.oneBone || !this.oneBone.parent) return 'Nothing meets at a root bone.';
    if (!this.seamNow) return this.seamJoints.includes(this.oneBone.id) ? 'being read …' : 'No two parts meet here.';
    const meet = `the parts of ${this.boneName(this.oneBone.parent)} and ${this.oneBone.name}`;
    if (this.seamNow.treated) return `Where ${meet} meet lies a ${this.seamNow.treated}.`;
    return this.seamNow.limb ? `Where ${meet} meet, the line across shows.` : `Here ${meet} lie one on the other; their line belongs there.`;
  },
  get treatShown() { return this.tryRows.filter((one) => one.shown).map((one) => one.word).join(''); },
  get springWords() {
    const ids = this.oneBone ? this.state.chains[this.oneBone.id] : [];
    return ids.map((ref) => this.boneName(ref)).join(', ');
  },
  get frameWords() { return this.playing ? `frame ${this.frameNumber + 1} of ${this.motionFrames}` : ''; },
  get tools() {
    const off = !this.mayBuild;
    const tool = (key) => ({ key, word: TOOLS[key].word(this), on: this.toolKey === key, off: Boolean(TOOLS[key].building) && off, why: TOOLS[key].building && off ? this.whyNot : '' });
    const view = (key, word, on) => ({ key, word, on, off: false, why: '' });
    const list = [tool('select')];
    if (this.stageKey === 'artwork') list.push(tool('move'), tool('reshape'), tool('pivot'), tool('turn'), tool('sever'), ...(this.toolKey === 'middle' ? [tool('middle')] : []), view('lifted', 'Ink lifted', this.liftInk), tool('stand'));
    if (this.stageKey === 'bones') list.push(tool('chain'), tool('along'), tool('joint'));
    if (this.stageKey === 'binding') list.push(...(this.posed ? [] : [tool('brush'), tool('vertices')]), ...(['gradient', 'zone'].includes(this.toolKey) ? [tool(this.toolKey)] : []), tool('spot'), view('mesh', 'Mesh', this.showMesh), view('weights', 'Weights', this.showWeights));
    if (this.stageKey === 'seams') list.push(tool('opening'), tool('fold'), tool('cut'));
    if (this.stageKey === 'follow') list.push(view('play', 'Play', this.playing));
    if (this.posed) list.push(view('restAll', 'Back to rest', false));
    if (!['artwork', 'delivery'].includes(this.stageKey)) list.push(view('bones', 'Bones', this.showBones));
    list.push(view('fit', 'Fit', false));
    return list;
  },
  get tiles() {
    if (!this.figure) return [];
    const order = [...this.figure.parts].reverse();
    return order.map((part, index) => {
      const before = order[index - 1];
      const after = order[index + 1];
      const same = (other) => other && part.group && other.group === part.group;
      const group = this.figure.groups.find((one) => one.id === part.group);
      return {
        id: part.id, name: part.name, visible: part.visible, src: `/figures/pictures/${part.picture}.png`,
        locked: part.locked, alone: this.alone.includes(part.id), title: group ? `${part.name}, in ${group.name}` : part.name,
        classes: { 'hidden-part': !part.visible || part.left_out, 'locked-part': part.locked, 'alone-part': this.alone.includes(part.id), 'in-group': Boolean(part.group), 'group-start': Boolean(part.group) && !same(before), 'group-end': Boolean(part.group) && !same(after) },
      };
    });
  },
  get foundActions() {
    const words = this.finderWord.toLowerCase().split(/\s+/).filter(Boolean);
    const own = STAGES.map((stage) => ({ key: `go ${stage.key}`, word: `Go to ${stage.word}`, keys: '' }));
    const things = words.length && this.figure ? [
      ...this.figure.bones.map((one) => ({ key: `bone ${one.id}`, word: one.name, keys: 'bone' })), ...this.figure.parts.map((one) => ({ key: `part ${one.id}`, word: one.name, keys: 'part' })),
    ] : [];
    const found = [...ACTIONS, ...own, ...things].filter((action) => words.every((word) => `${action.word} ${action.also || ''}`.toLowerCase().includes(word))).slice(0, 40);
    const at = Math.min(this.finderAt, found.length - 1);
    return found.map((action, index) => ({ ...action, first: index === at && (Boolean(words.length) || this.finderAt > 0) }));
  },
  /** Bones that carry on from the chosen one and are numbered after it: they are renamed with it, unless asked not to. */
  get chainAfter() {
    const bone = this.oneBone;
    if (!bone || this.stageKey === 'delivery') return 0;
    const base = (name) => name.replace(/ \d+$/, '');
    const ids = this.state.chains[bone.id].slice(1);
    const after = ids.map((id) => this.boneName(id));
    const stop = after.findIndex((name) => base(name) !== base(bone.name) || name === base(name));
    return stop < 0 ? after.length : stop;
  },
  get chainWords() { return this.chainAfter === 1 ? 'renames the one numbered after it, too' : `renames the ${this.chainAfter} numbered after it, too`; },
  get looseParts() { return this.figure ? this.figure.parts.filter((part) => part.binding.kind === 'unbound').length : 0; },
  get figureRate() { return this.figure ? String(this.figure.rate) : ''; },
  openCount(key) { return this.findings.filter((finding) => finding.stage === key).length; },
  boneName(id) { const bone = this.figure.bones.find((one) => one.id === id); return bone ? bone.name : ''; },
  partName(id) { const part = this.figure.parts.find((one) => one.id === id); return part ? part.name : ''; },
  isBone(id) { return this.bones.includes(id); },
  isPart(id) { return this.parts.includes(id); },
};
