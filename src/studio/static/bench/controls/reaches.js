// Reaches: chains whose end goes to a goal.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const ROUND = 100;

export const reaches = {
  chosen: '',
  known: null, // the ids of those that were there before one is laid
  links: 2,
  get all() {
    return bench.page.figure ? bench.page.figure.reaches : [];
  },
  get one() {
    return this.all.find(({ id }) => id === this.chosen) || null;
  },
  get title() {
    const words = { reach: 'Reach', look: 'Look', counter: 'Counter' };
    return this.one ? `${words[this.one.kind]} ${this.one.name}` : '';
  },
  /** The bones of a reach, the first one first; the one of a look or a counter. */
  chainOf({ kind, bone, tip, bones }) {
    if (kind !== 'reach') return [bench.page.figure.bones.find((each) => each.id === bone)];
    const chain = [];
    for (let ref = tip; ref && chain.length < bones;) {
      chain.unshift(bench.page.figure.bones.find((each) => each.id === ref));
      ref = chain[0].parent;
    }
    return chain;
  },
  /** Where a goal is: as posed, or where its chain ends at rest. */
  placeOf({ id, tip, goal }) {
    const posed = bench.posing.posed && engine.goalPlaces && engine.goalPlaces[id];
    return posed || goal || bench.page.figure.bones.find((bone) => bone.id === tip).tip;
  },
  /** Those that have a goal to drag. */
  get goals() {
    return this.all.filter(({ kind }) => kind !== 'counter');
  },
  /** The reach that poses a bone now, if one does. */
  posing(boneId) {
    const holds = (one) =>
      one.kind === 'reach' && [...this.chainOf(one).map(({ id }) => id), one.foot].includes(boneId);
    return this.all.find((one) => holds(one) && bench.posing.channel(one.id, 'share') > 0);
  },
  get mayLay() {
    return Boolean(bench.selection.oneBone && bench.selection.oneBone.parent);
  },
  get layWords() {
    return this.mayLay ? `Let ${bench.selection.oneBone.name} reach` : 'Choose the last bone of a limb';
  },
  lay() {
    this.known = new Set(this.all.map(({ id }) => id));
    bench.history.edit({ kind: 'lay_reach', tip: bench.selection.oneBone.id, bones: Number(this.links) || 2 });
  },
  /** A new state of the figure: the one that was laid is chosen. */
  taken() {
    const laid = this.known && this.all.find(({ id }) => !this.known.has(id));
    if (laid) bench.slip.choose({ kind: 'reach', id: laid.id });
    if (laid) this.known = null;
  },
  set(changes) {
    const key = this.one.kind === 'reach' ? { kind: 'set_reach', reach: this.one.id } : { kind: 'set_look', look: this.one.id }; // prettier-ignore
    bench.history.edit({ ...key, ...changes });
  },
  lift() {
    bench.history.edit({ kind: 'lift_reach', reach: this.one.id });
  },
  /** The bones that hang on the end of the chosen one and may be its foot. */
  get feet() {
    return this.one && this.one.kind === 'reach'
      ? bench.page.figure.bones.filter(({ parent }) => parent === this.one.tip)
      : [];
  },
  value(name) {
    return this.one ? Math.round(bench.posing.channel(this.one.id, name) * ROUND) / ROUND : '';
  },
  setValue(name, value) {
    if (value === '' || !Number.isFinite(Number(value))) return;
    bench.posing.setChannels(this.one.id, { [name]: Number(value) });
  },
  /** Move its goal by so many px. */
  nudge(dx, dy) {
    if (!bench.posing.posed) bench.posing.turnOver();
    const [x, y] = ['goal.x', 'goal.y'].map((name) => bench.posing.channel(this.one.id, name));
    bench.posing.setChannels(this.one.id, { 'goal.x': x + dx, 'goal.y': y + dy });
  },
  /** Bring the goal back to where the limb ends at rest. */
  toRest() {
    bench.posing.keepChannels((id) => id !== this.one.id);
    bench.posing.sendPose();
  },
  /** Go over from plain turns to the goal or back, or to what it hangs on; the picture stays as it is. */
  async takeOver(to, one = this.one) {
    const how = typeof to === 'number' ? { hang: to } : { to };
    const body = JSON.stringify({ reach: one.id, ...how, pose: bench.posing.pose });
    const path = `/bench/${bench.page.figureId}/take-over/${scene.revision}/`;
    const answer = await fetchJson(path, { method: 'POST', body });
    if (!answer.ok) bench.page.warn(answer.data.sentence);
    else {
      bench.posing.pose = answer.data.pose;
      bench.posing.sendPose();
    }
  },
};
