// What is still to look at, with remedies, and what a remedy would repaint.

import { bench } from './bench.js';
import { engine } from './engine.js';
import { fetchJson, fetchPicture } from './api.js';
import { scene } from './scene.js';

const PAUSE = 250;
const AGAIN = 3000; // ms after which a server that was away is asked anew

const REPAINTS = new Set([
  'make_cap',
  'grow_under',
  'fill_holes',
  'erase_strays',
  'harden_edges',
  'redraw_line',
  'lay_cap',
  'blend_widths',
]);

export const findings = {
  findingsOpen: true,
  findingsChosen: false,
  previewed: null,
  found: null,
  get findings() {
    return this.found || [];
  },
  get findingsWords() {
    return !this.found ? 'being read …' : this.findings.length ? 'worst first' : 'Nothing is open.';
  },
  get notices() {
    return bench.page.state ? bench.page.state.notices : [];
  },
  toggleFindings() {
    this.findingsChosen = true;
    this.findingsOpen = !this.findingsOpen;
  },
  lookAt(finding) {
    bench.page.goTo(finding.stage);
    bench.selection.parts = finding.parts;
    bench.selection.bones = finding.bones;
    const bone = bench.page.figure.bones.find((one) => one.id === finding.bones[0]);
    if (bone && Number.isFinite(finding.angle)) {
      if (!bench.posing.posed) bench.posing.turnOver();
      bench.posing.poseTurn(bone.id, finding.angle);
    }
    const place = this.placeOf(finding);
    if (!place) return;
    bench.nextTick(() => {
      bench.sheet.resize();
      engine.camera.look(place);
      bench.sheet.redraw();
      engine.overlay.mark(place);
    });
  },
  /** The box (left, top, right, bottom) a finding is about: its joint with half of both limbs, or its parts. */
  placeOf(finding) {
    const bone = bench.page.figure.bones.find((one) => one.id === finding.bones[0]);
    if (bone) {
      const reach = 0.6 * Math.hypot(bone.tip[0] - bone.joint[0], bone.tip[1] - bone.joint[1]);
      return [bone.joint[0] - reach, bone.joint[1] - reach, bone.joint[0] + reach, bone.joint[1] + reach];
    }
    const parts = bench.page.figure.parts.filter((one) => finding.parts.includes(one.id));
    if (!parts.length) return null;
    const low = [0, 1].map((k) => Math.min(...parts.map((one) => one.drawing.place[k])));
    const high = [0, 1].map((k) => Math.max(...parts.map((one) => one.drawing.place[k] + one.drawing.size[k])));
    return [...low, ...high];
  },
  /** The findings of a revision, once edits have come to rest for a moment. */
  async loadFindings(revision) {
    await new Promise((done) => setTimeout(done, PAUSE));
    if (revision !== scene.revision) return;
    const answer = await fetchJson(`/bench/${bench.page.figureId}/findings/${revision}/`);
    if (revision !== scene.revision) return;
    if (!answer.ok) {
      const away = answer.status === 0 || answer.status >= 500; // else the revision is gone, or who asks may not see it
      if (away) setTimeout(() => this.loadFindings(revision), AGAIN);
      return;
    }
    this.found = answer.data.findings.map((one, index) => ({ ...one, key: `${index}-${one.sentence}` }));
    // the sheet has the room while nothing is open, unless a person said otherwise
    if (!this.findingsChosen) this.findingsOpen = this.found.length > 0 || this.notices.length > 0;
  },
  remedy(edit, word) {
    if (!bench.page.mayBuild) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    if (REPAINTS.has(edit.kind)) this.showPreview(edit, word);
    else bench.history.edit(edit);
  },
  /** What an edit would repaint is shown first: before, after, and what differs. */
  async showPreview(edit, word) {
    this.previewed = { edit, word, sentence: 'being painted …', style: '' };
    const answer = await fetchPicture(`/bench/${bench.page.figureId}/preview/${scene.revision}/`, { edit });
    if (!this.previewed || this.previewed.edit !== edit) return;
    if (answer.url) {
      this.previewed = { edit, word, sentence: '', style: answer.url };
      bench.nextTick(() => /** @type {HTMLElement} */ (document.querySelector('.preview .btn-brass')).focus());
    } else {
      this.previewed = null;
      bench.page.warn(answer.sentence);
    }
  },
  get previewTiles() {
    if (!this.previewed || !this.previewed.style) return [];
    return ['before', 'after', 'what differs'].map((word, k) => ({
      word,
      style: {
        backgroundImage: `url(${this.previewed.style})`,
        backgroundSize: '300% 100%',
        backgroundPosition: `${k * 50}% 0`,
      },
    }));
  },
  get previewTitle() {
    return this.previewed ? this.previewed.word : '';
  },
  get previewSentence() {
    return this.previewed ? this.previewed.sentence : '';
  },
  doPreviewed() {
    const { edit } = this.previewed;
    this.leavePreview();
    bench.history.edit(edit);
  },
  leavePreview() {
    if (this.previewed && this.previewed.style) URL.revokeObjectURL(this.previewed.style);
    this.previewed = null;
  },
};
