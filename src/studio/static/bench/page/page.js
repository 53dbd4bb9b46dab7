// What the page shows: the figure, the stage of the work, what is said at the foot of the sheet.

import { bench } from './bench.js';
import { engine } from './engine.js';

/** A moment as the clock on the wall tells it. */
export function clockOf(iso) {
  const at = new Date(iso);
  return `${at.getHours()}:${String(at.getMinutes()).padStart(2, '0')}`;
}

export const page = {
  figureId: '',
  ready: false,
  stageKey: 'bones',
  state: null,
  offline: '',
  waitingEdits: 0,
  message: '',
  warning: false,
  get stages() {
    return bench.modules.filter((module) => module.key);
  },
  /** The stage of the work that is gone to. */
  get stage() {
    return bench.modules.find((module) => module.key === this.stageKey);
  },
  get figure() {
    return this.state ? this.state.figure : null;
  },
  get figureName() {
    return this.figure ? this.figure.name : '';
  },
  get unsaved() {
    return this.waitingEdits > 0 || Boolean(this.offline);
  },
  get savedWords() {
    if (this.offline) return this.offline;
    if (this.waitingEdits) return 'saving …';
    if (!this.state) return 'opening …';
    return `saved ${clockOf(this.state.saved)}${this.state.mayEdit ? '' : ', to look at only'}`;
  },
  get hintWords() {
    return (
      this.message ||
      (this.ready && bench.toolset[bench.tools.toolKey].hint ? bench.toolset[bench.tools.toolKey].hint(bench) : '')
    );
  },
  /** Whether the figure may be changed; most of it is built at rest only, which `mayBuild` tells. */
  get mayEdit() {
    return Boolean(this.state && this.state.mayEdit);
  },
  get mayBuild() {
    return this.mayEdit && !bench.posing.posed;
  },
  get whyNot() {
    return bench.posing.posed
      ? 'Building is done at rest: press R to turn the sheet over.'
      : 'This figure is shared with you to look at.';
  },
  openCount(key) {
    return bench.findings.findings.filter((finding) => finding.stage === key).length;
  },
  boneName(id) {
    const bone = this.figure.bones.find((one) => one.id === id);
    return bone ? bone.name : '';
  },
  partName(id) {
    const part = this.figure.parts.find((one) => one.id === id);
    return part ? part.name : '';
  },
  /** The name of a part or a group. */
  memberName(id) {
    const group = this.figure.groups.find((one) => one.id === id);
    return group ? group.name : this.partName(id);
  },
  letGo() {
    this.message = '';
    this.warning = false;
    bench.tools.toolInHand().cancel(bench);
    engine.cross = null;
    if (bench.tools.toolKey !== 'select') bench.tools.useTool('select');
    else bench.selection.pickNothing();
  },
  goTo(key) {
    this.stageKey = key;
    bench.playing.stopSwing();
    bench.tools.useTool('select');
    if (this.stage.entered) this.stage.entered();
    requestAnimationFrame(() => bench.sheet.resize()); // strips are higher than the tray
  },
  warn(sentence) {
    this.message = sentence;
    this.warning = true;
  },
};
