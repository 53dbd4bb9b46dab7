// Everything that makes an edit; the core decides whether it may be.

import { engine } from './engine.js';

export const NO_SPRING = { there: false, frequency: 1.6, damping_ratio: 0.25, gravity: 980 };

export const editing = {
  edit(edit) {
    if (!this.state.mayEdit) { this.warn(this.whyNot); return; }
    this.message = '';
    this.warning = false;
    engine.queue.add('edit', edit);
  },
  undo() { if (this.undoWord) engine.queue.add('undo', null); },
  redo() { if (this.redoWord) engine.queue.add('redo', null); },
  rename(name) {
    if (this.oneBone) this.edit({ kind: 'rename_bone', bone: this.oneBone.id, name, chain: this.renameChain });
    else if (this.onePart) this.edit({ kind: 'rename_part', part: this.onePart.id, name });
  },
  placeJoint(end, axis, value) {
    if (value === '') return;
    const to = [...this.oneBone[end]];
    to[axis] = Number(value);
    this.edit({ kind: 'move_joint', bone: this.oneBone.id, end, to });
  },
  hangOn(parent) { this.edit({ kind: 'hang_bone', bone: this.oneBone.id, parent: parent || null }); },
  deleteBones() {
    if (!this.bones.length || !this.mayBuild) return;
    const followers = this.figure.parts.filter((part) => this.bones.includes(part.binding.bone) || (part.binding.influences || []).some((ref) => this.bones.includes(ref)));
    if (followers.length && !confirm(`${followers.length} part(s) follow this. They will follow the bone it hangs on. Delete?`)) return;
    this.edit({ kind: 'delete_bones', bones: [...this.bones] });
  },
  setOpacity(value) { this.edit({ kind: 'set_opacity', parts: [this.onePart.id], opacity: Number(value) }); },
  placePart(axis, value) {
    if (value === '') return;
    const to = [...this.onePart.place];
    to[axis] = Number(value);
    this.edit({ kind: 'place_part', part: this.onePart.id, to });
  },
  groupParts(name) { this.edit({ kind: 'group_parts', parts: this.selectedParts(), group: name.trim() || null }); },
  copyParts(mirror) {
    const names = this.figure.parts.filter((part) => this.parts.includes(part.id)).map((part) => part.name).join(' ');
    if (this.findText) { this.edit({ kind: 'copy_parts', parts: this.selectedParts(), mirror, find: this.findText, put: this.putText }); return; }
    const side = mirror ? this.sidePairs.find(([from]) => names.includes(from)) : null;
    this.edit({ kind: 'copy_parts', parts: this.selectedParts(), mirror, find: side ? side[0] : '', put: side ? side[1] : '' });
  },
  leaveOut() { this.edit({ kind: 'leave_out_parts', parts: this.selectedParts(), out: !this.isLeftOut }); },
  /** Words of sides and those of the other side, both ways, as this figure tells them. */
  get sidePairs() { return this.figure.sides.flatMap(([one, other]) => [[one, other], [other, one]]); },
  get sidesWords() { return this.figure ? this.figure.sides.map((pair) => pair.join(' ')).join(', ') : ''; },
  setSides(words) { this.edit({ kind: 'set_sides', sides: words.split(',').map((pair) => pair.trim().split(/\s+/)).filter((pair) => pair[0]) }); },
  replaceNames() { this.edit({ kind: 'replace_in_names', find: this.findText, put: this.putText }); },
  setOrder(value) { this.edit({ kind: 'order_part', part: this.onePart.id, position: Math.max(Number(value) - 1, 0) }); },
  toggleShown(id) {
    const part = this.figure.parts.find((one) => one.id === (id || this.onePart.id));
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    this.edit({ kind: 'show_parts', parts: [part.id], visible: !part.visible });
  },
  bindRigid() { this.edit({ kind: 'bind_rigid', parts: this.selectedParts(), bone: this.rigidBone }); },
  bindWeighted() {
    const influences = this.influenceWay === 'chosen' ? [...this.ticked] : null;
    if (influences && !influences.length) { this.warn('Tick at least one bone that may move the part.'); return; }
    this.edit({ kind: 'bind_weighted', parts: this.selectedParts(), influences, count: this.vertexCount, margin: this.margin });
    this.showMesh = true;
  },
  unbind() { this.edit({ kind: 'unbind', parts: this.selectedParts() }); },
  takeSpring() {
    const found = this.oneBone && this.figure.springs.find((one) => one.bones.includes(this.oneBone.id));
    this.spring = found ? { there: true, frequency: found.frequency, damping_ratio: found.damping_ratio, gravity: found.gravity } : { ...NO_SPRING };
  },
  setSpring() {
    const { frequency, damping_ratio, gravity } = this.spring;
    const found = this.figure.springs.find((one) => one.bones.includes(this.oneBone.id));
    this.edit({ kind: 'set_spring', bone: found ? found.bones[0] : this.oneBone.id, frequency, damping_ratio, gravity });
  },
  springChanged() { if (this.spring.there) this.setSpring(); },
  removeSpring() { this.edit({ kind: 'remove_spring', bone: this.oneBone.id }); },

  dragTile(event, id) { this.dragged = id; event.dataTransfer.effectAllowed = 'move'; event.dataTransfer.setData('text/plain', id); },
  overTile(event, id) {
    if (!this.dragged || this.dragged === id) return;
    event.preventDefault();
    document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before'));
    event.currentTarget.classList.add('drop-before');
  },
  dropTile(event, id) {
    event.preventDefault();
    const dragged = this.dragged;
    this.endDrag();
    if (!dragged || dragged === id) return;
    if (!this.mayBuild) { this.warn(this.whyNot); return; }
    // the tray runs front to back: dropping before a tile puts the part just in front of it
    const others = this.figure.parts.filter((part) => part.id !== dragged);
    this.edit({ kind: 'order_part', part: dragged, position: others.findIndex((part) => part.id === id) + 1 });
  },
  endDrag() { this.dragged = null; document.querySelectorAll('.drop-before').forEach((tile) => tile.classList.remove('drop-before')); },
};
