// The ways to treat a joint, tried.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';
import { tiles, told, wayWord } from './ways.js';

const PAUSE = 350;

export const trying = {
  stripOpen: true,
  stripShown: false,
  stripTwo: false,
  tried: null,
  tryWay: '',
  tryBusy: false,
  get treatShown() {
    return this.tryRows
      .filter((one) => one.shown)
      .map((one) => one.word)
      .join('');
  },
  /** What a joint would look like treated in each way, as soon as it stays chosen for a moment. */
  get tryRows() {
    if (!this.tried) return [];
    return this.tried.trials.map((one) => ({
      way: one.key,
      word: wayWord(one),
      shown: this.tryWay === one.key,
      best: one.key === this.tried.best,
      now: one.key === this.tried.now,
      words: one.refused || (one.worst ? `${one.cost.toFixed(1)} × what may show` : 'nothing shows'),
      label: `${wayWord(one)}: ${one.refused || one.worst || 'nothing shows'}`,
    }));
  },
  get tryNote() {
    return this.tryBusy ? 'trying each way through the range …' : '';
  },
  get nowTiles() {
    return bench.seams.seamNow
      ? tiles(`/bench/${bench.page.figureId}/seam/${bench.page.state.seen}/${bench.selection.oneBone.id}/now.png`)
      : [];
  },
  get tryTiles() {
    return this.tried && this.tryWay && this.tryWay !== this.tried.now
      ? tiles(`/bench/${bench.page.figureId}/seam/${this.tried.revision}/${this.tried.bone}/${this.tryWay}.png`)
      : [];
  },
  get pairRows() {
    return this.nowTiles.map((now, k) => {
      const degrees = (bench.seams.seamNow.shown || [])[k];
      return {
        key: k,
        degrees,
        angle: told(degrees),
        label: `turn the joint to ${told(degrees)}`,
        now: now.style,
        then: this.tryTiles[k] ? this.tryTiles[k].style : {},
      };
    });
  },
  /** In the tray's place lie the pictures of the chosen joint, as long as they are not folded away. */
  get stripWanted() {
    return bench.page.stageKey === 'seams' && this.stripOpen && Boolean(bench.seams.seamNow);
  },
  get twoWanted() {
    return this.stripWanted && this.tryTiles.length > 0;
  },
  /** Nothing moves under the hand of who poses: the strip comes and grows at rest only. */
  settleStrip() {
    if (bench.posing.posed && this.stripWanted) return;
    this.stripShown = this.stripWanted;
    this.stripTwo = this.twoWanted;
  },
  get stripName() {
    return bench.selection.oneBone ? bench.selection.oneBone.name : '';
  },
  get stripWords() {
    return `${this.stripName} through its range`;
  },
  get stripNow() {
    return this.tryTiles.length ? 'before' : 'as it is';
  },
  openStrip() {
    this.stripOpen = true;
  },
  closeStrip() {
    this.stripOpen = false;
  },
  /** Pose the chosen joint at an angle. */
  turnTo(degrees) {
    if (!Number.isFinite(degrees)) return;
    if (!bench.posing.posed) bench.posing.turnOver();
    bench.posing.poseTurn(bench.selection.oneBone.id, degrees);
  },
  get triedNow() {
    return this.tried && this.tried.trials.find((one) => one.key === this.tryWay);
  },
  /** Why moving the joint is proposed. */
  get movedWords() {
    return this.triedNow && this.triedNow.to
      ? `The joint lies ${this.triedNow.by} px off where the outlines of both pieces agree: turned about it, one of them stands out on one side or falls short on the other. Moving it there changes nothing at rest.`
      : '';
  },
  async loadTried() {
    const bone = bench.selection.oneBone;
    const { revision } = scene;
    bench.underneath.keepVoids();
    if (bench.liveSeam.seamWatched && !bench.liveSeam.seamAt) bench.posing.sendPose();
    if (!bone || bench.page.stageKey !== 'seams' || !bench.seams.seamJoints.includes(bone.id)) {
      this.tried = null;
      return;
    }
    if (this.tried && this.tried.bone === bone.id && this.tried.revision === revision) return;
    this.tried = null;
    await new Promise((done) => setTimeout(done, PAUSE));
    if (revision !== scene.revision || !bench.selection.oneBone || bench.selection.oneBone.id !== bone.id) return;
    this.tryBusy = true;
    const answer = await fetchJson(`/bench/${bench.page.figureId}/proposal/${revision}/${bone.id}/`);
    this.tryBusy = false;
    if (revision !== scene.revision || !bench.selection.oneBone || bench.selection.oneBone.id !== bone.id || !answer.ok)
      return;
    this.tried = { ...answer.data, revision };
    this.tryWay = answer.data.best === answer.data.now && answer.data.trials.length > 1 ? '' : answer.data.best;
  },
  showWay(way) {
    this.tryWay = way;
  },
};
