// The bend fan, and every bend read.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const PLOT = { width: 236, height: 64 };

const PAUSE = 400;

export const fan = {
  fanBefore: null,
  fanRead: null,
  bendsRead: {},
  bendsDue: 0,
  bendsBusy: false,
  fanSentence: '',
  bare: false, // whether it is looked at without correctives
  get corrected() {
    const bone = bench.selection.oneBone;
    return Boolean(bone && bench.correctives.all.some(({ bones }) => bones.includes(bone.id)));
  },
  /** Pull at the bend as it is at an angle: with the corrective of that bone, or one that is begun. */
  correct(angle) {
    const bone = bench.selection.oneBone;
    const known = bench.correctives.all.find(({ bones }) => bones.length === 1 && bones[0] === bone.id);
    bench.page.goTo('controls');
    if (!bench.posing.posed) bench.posing.turnOver();
    bench.posing.poseTurn(bone.id, angle);
    if (known) {
      bench.slip.choose({ kind: 'corrective', id: known.id });
      bench.tools.useTool('pull');
    } else bench.correctives.begin();
  },
  get fanTiles() {
    if (!this.fanRead) return [];
    const { readings, picture } = this.fanRead;
    return readings.map((one, k) => ({
      key: k,
      angle: Math.round(one.angle),
      words: `${Math.round(one.width_kept * 100)} %`,
      bad: !!one.told,
      more: `at ${one.angle}°: ${one.told || `width ${Math.round(one.width_kept * 100)} %, area ${Math.round(one.area_kept * 100)} %, outline within ${Math.max(one.departs, one.waves).toFixed(1)} px of one limb’s`}`,
      style: {
        backgroundImage: `url(${picture})`,
        backgroundSize: `${readings.length * 100}% 100%`,
        backgroundPosition: `${(k / Math.max(readings.length - 1, 1)) * 100}% 0`,
      },
    }));
  },
  /** What the worst of the fan's angles misses, in words. */
  get fanMisses() {
    const missed = this.fanRead ? this.fanRead.readings.filter((one) => one.told) : [];
    if (!missed.length) return this.fanRead ? 'Bends like one limb at every angle.' : '';
    const worst = missed.reduce((one, other) => (Math.abs(other.angle) > Math.abs(one.angle) ? other : one));
    return `Misses at ${missed.length} of ${this.fanRead.readings.length} angles; at ${Math.round(worst.angle)}° it ${worst.told}.`;
  },
  /** Every joint at which a part bends, those that miss first, as far as they have been read. */
  get bendRows() {
    return Object.values(this.bendsRead)
      .map((one) => ({
        id: one.bone,
        name: bench.page.boneName(one.bone),
        colour: bench.page.state.colours[one.bone],
        word: one.words,
        bad: one.bad,
      }))
      .sort((a, b) => Number(b.bad) - Number(a.bad));
  },
  get bendWords() {
    const read = this.bendRows.length;
    if (this.bendsBusy) return `${read} of ${this.bendsDue} joints read …`;
    return read ? `${read} bends read, ${this.bendRows.filter((one) => one.bad).length} beyond what is tolerated` : '';
  },
  /** Read every bend of the figure, one after another, as long as the stage and the figure stay. */
  async readBends() {
    const { revision } = scene;
    const bending = bench.page.figure.bones.filter(
      (bone) =>
        bone.parent &&
        bench.page.figure.parts.some((part) => {
          const refs = part.binding.influences || [];
          return refs.includes(bone.id) && refs.includes(bone.parent);
        }),
    );
    this.bendsRead = {};
    this.bendsDue = bending.length;
    this.bendsBusy = true;
    for (const bone of bending) {
      if (!this.bendsBusy || bench.page.stageKey !== 'binding' || scene.revision !== revision) break;
      const answer = await fetchJson(`/bench/${bench.page.figureId}/fan/${revision}/${bone.id}/`);
      if (!answer.ok) continue;
      const missed = answer.data.readings.filter((one) => one.told);
      const worst = missed[missed.length - 1];
      this.bendsRead = {
        ...this.bendsRead,
        [bone.id]: {
          bone: bone.id,
          bad: missed.length > 0,
          words: worst ? `${worst.told} at ${Math.round(worst.angle)}°` : 'bends like one limb',
        },
      };
    }
    this.bendsBusy = false;
  },
  stopBends() {
    this.bendsBusy = false;
  },
  get fanWords() {
    return this.fanSentence || (this.fanRead ? '' : 'being painted …');
  },
  get widthPlot() {
    return this.plotted('width_kept');
  },
  get areaPlot() {
    return this.plotted('area_kept');
  },
  /** A path over the angle; the plot reaches from 50 to 110 per cent. */
  plotted(key) {
    if (!this.fanRead) return '';
    const { readings } = this.fanRead;
    const [low, high] = [readings[0].angle, readings[readings.length - 1].angle];
    const at = (one) => [
      ((one.angle - low) / Math.max(high - low, 1)) * PLOT.width,
      PLOT.height - ((Math.min(Math.max(one[key], 0.5), 1.1) - 0.5) / 0.6) * PLOT.height,
    ];
    return `M${readings
      .map((one) =>
        at(one)
          .map((value) => value.toFixed(1))
          .join(' '),
      )
      .join('L')}`;
  },
  async loadFan() {
    const bone = bench.selection.oneBone;
    if (!bone || bench.page.stageKey !== 'binding') {
      this.fanRead = null;
      this.fanBefore = null;
      return;
    }
    const { revision } = scene;
    this.fanSentence = '';
    await new Promise((done) => setTimeout(done, PAUSE));
    if (revision !== scene.revision || !bench.selection.oneBone || bench.selection.oneBone.id !== bone.id) return;
    const bare = this.bare && this.corrected ? '?bare' : '';
    const answer = await fetchJson(`/bench/${bench.page.figureId}/fan/${revision}/${bone.id}/${bare}`);
    if (revision !== scene.revision || !bench.selection.oneBone || bench.selection.oneBone.id !== bone.id) return;
    if (this.fanRead && this.fanRead.bone === bone.id && this.fanRead.revision !== revision)
      this.fanBefore = this.fanRead.readings;
    this.fanRead = answer.ok ? { ...answer.data, bone: bone.id, revision } : null;
    this.fanSentence = answer.ok ? '' : answer.data.sentence;
  },
};
