// Which bones and parts are selected.

import { bench } from './bench.js';

export const selection = {
  bones: [],
  parts: [],
  get oneBone() {
    return this.bones.length === 1 && !bench.binding.bindsParts
      ? bench.page.figure.bones.find((bone) => bone.id === this.bones[0]) || null
      : null;
  },
  get somePart() {
    return this.parts.length > 0 && (bench.binding.bindsParts || !this.bones.length);
  },
  get onePart() {
    return this.somePart && this.parts.length === 1
      ? bench.page.figure.parts.find((part) => part.id === this.parts[0]) || null
      : null;
  },
  get boneChoices() {
    return bench.page.figure
      ? bench.page.figure.bones.map((bone) => ({
          id: bone.id,
          name: bone.name,
          colour: bench.page.state.colours[bone.id],
        }))
      : [];
  },
  get parentChoices() {
    return this.boneChoices.filter((bone) => !this.bones.includes(bone.id));
  },
  get chosenWords() {
    return this.parts.length > 1 ? `These ${this.parts.length} parts` : 'This part';
  },
  get looseParts() {
    return bench.page.figure ? bench.page.figure.parts.filter((part) => part.binding.kind === 'unbound').length : 0;
  },
  isBone(id) {
    return this.bones.includes(id);
  },
  isPart(id) {
    return this.parts.includes(id);
  },
  pickPart(id, event) {
    this.bones = [];
    if (event && (event.shiftKey || event.ctrlKey))
      this.parts = this.parts.includes(id) ? this.parts.filter((one) => one !== id) : [...this.parts, id];
    else this.parts = [id];
  },
  pickBone(id, event) {
    if (event && (event.shiftKey || event.ctrlKey))
      this.bones = this.bones.includes(id) ? this.bones.filter((one) => one !== id) : [...this.bones, id];
    else this.bones = [id];
    // parts stay selected while binding, so that the bone they shall follow can be picked on the sheet
    if (bench.page.stageKey === 'binding' && this.parts.length) bench.binding.rigidBone = id;
    else this.parts = [];
  },
  pickNothing() {
    this.bones = [];
    this.parts = [];
  },
  movedBy(bones) {
    const moved = (part) => (part.binding.influences || []).some((ref) => bones.includes(ref));
    return bench.page.figure.parts.filter(moved).map((part) => part.id);
  },
  selectedBone() {
    return this.bones[0] || null;
  },
  selectedParts() {
    return [...this.parts];
  },
  get someBones() {
    return this.bones.length > 0 && !this.parts.length;
  },
  get chosenBones() {
    return this.bones.map((id) => bench.page.figure.bones.find((bone) => bone.id === id)).filter(Boolean);
  },
  get partGroup() {
    return this.onePart ? bench.page.figure.groups.find((one) => one.id === this.onePart.group) || null : null;
  },
  chosenParts() {
    return bench.page.figure ? bench.page.figure.parts.filter((part) => this.parts.includes(part.id)) : [];
  },
  selectGroup() {
    const inside = new Set([this.onePart.group]);
    for (const group of bench.page.figure.groups) if (inside.has(group.parent)) inside.add(group.id);
    this.parts = bench.page.figure.parts.filter((part) => inside.has(part.group)).map((part) => part.id);
  },
  selectAll() {
    this.bones = [];
    this.parts = bench.page.figure.parts.map((part) => part.id);
  },
};
