// What parts are that meet, and all joints treated as proposed.

import { bench } from '../page/bench.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';
import { tiles, wayWord } from './ways.js';

const MEETINGS = {
  limb: { word: 'One limb', why: 'It goes on in two pieces: no line should be seen between them' },
  lies_over: { word: 'It lies over the other', why: 'An arm before a body: its whole outline is meant to show' },
  lies_under: {
    word: 'It lies under the other',
    why: 'A leg behind a coat: the outline of what covers it is meant to show',
  },
  hinge: { word: 'A hinge', why: 'A joint that is meant to be seen, as of a puppet' },
};

export const proposals = {
  meetsAlike: true,
  proposals: [],
  proposing: false,
  /** What the two parts at the chosen joint are: told by their looks, or as a person said. */
  get meetingSaid() {
    const said =
      bench.selection.oneBone &&
      (bench.page.figure.meetings || []).find((one) => one.bone === bench.selection.oneBone.id);
    return said ? said.kind : '';
  },
  get meetingRows() {
    if (!bench.seams.seamNow) return [];
    const now = this.meetingSaid || bench.seams.seamNow.meets;
    return Object.entries(MEETINGS).map(([kind, { word, why }]) => ({ kind, word, why, on: kind === now }));
  },
  get meetingWords() {
    return this.meetingSaid
      ? 'As you said; press it again to let looks tell.'
      : 'Told by bones, widths and colours; press another if it is wrong.';
  },
  sayMeeting(kind) {
    bench.history.edit({
      kind: 'say_meeting',
      bones: [bench.selection.oneBone.id],
      meets_as: kind === this.meetingSaid ? null : kind,
      alike: this.meetsAlike,
    });
  },
  get mayTreat() {
    return (
      bench.page.mayBuild && bench.trying.tried && bench.trying.tryWay && bench.trying.tryWay !== bench.trying.tried.now
    );
  },
  get treatWord() {
    return bench.trying.tryWay === 'nothing'
      ? 'Take it off'
      : `${bench.trying.triedNow ? wayWord(bench.trying.triedNow) : ''} here and at its like`;
  },
  treatHere() {
    bench.history.edit({
      kind: 'treat_joints',
      joints: [
        { bone: bench.selection.oneBone.id, treatment: bench.trying.triedNow.treatment, to: bench.trying.triedNow.to },
      ],
    });
  },
  /** Every joint where a limb goes on: the best way for each, shown side by side, done on consent. */
  async proposeAll() {
    const { revision } = scene;
    this.proposals = [];
    this.proposing = true;
    for (const id of bench.seams.seamJoints) {
      const answer = await fetchJson(`/bench/${bench.page.figureId}/proposal/${revision}/${id}/`);
      if (revision !== scene.revision || !this.proposing || bench.page.stageKey !== 'seams') {
        this.proposing = false;
        return;
      }
      if (answer.ok && answer.data.best !== answer.data.now) {
        const strip = (way) => `/bench/${bench.page.figureId}/seam/${revision}/${id}/${way}.png`;
        const best = answer.data.trials.find((one) => one.key === answer.data.best);
        const row = {
          id,
          treatment: best.treatment,
          to: best.to,
          on: true,
          name: bench.page.boneName(id),
          now: tiles(strip('now'))[1].style,
          then: tiles(strip(best.key))[1].style,
          words: `${wayWord(best)}: ${best.worst || 'nothing shows'}`,
        };
        this.proposals = [...this.proposals, row];
      }
    }
    this.proposing = false;
    if (!this.proposals.length) bench.binding.warnNot('Every joint is treated as well as the program knows.');
  },
  stopProposing() {
    this.proposing = false;
  },
  toggleProposal(id) {
    this.proposals = this.proposals.map((one) => (one.id === id ? { ...one, on: !one.on } : one));
  },
  get proposalsOn() {
    return this.proposals.filter((one) => one.on);
  },
  get proposalWord() {
    return `Treat ${this.proposalsOn.length} joint${this.proposalsOn.length === 1 ? '' : 's'}`;
  },
  treatAll() {
    bench.history.edit({
      kind: 'treat_joints',
      joints: this.proposalsOn.map(({ id, treatment, to }) => ({ bone: id, treatment, to })),
      alike: false,
    });
    this.proposals = [];
  },
};
