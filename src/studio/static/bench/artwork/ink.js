// The line and shape of a part.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';
import { fetchJson } from '../page/api.js';
import { scene } from '../page/scene.js';

const NOTHING_READ = {
  lineWidth: 0,
  lineSpread: 0,
  inked: 0,
  pieces: 1,
  holes: 0,
  softness: 0,
  bend: 0,
  suggestedPivot: null,
};

export const ink = {
  partReadings: null,
  liftInk: false,
  get readings() {
    return this.partReadings || NOTHING_READ;
  },
  get lineWords() {
    const { lineWidth, lineSpread, inked } = this.readings;
    return lineWidth ? `${lineWidth} px, spread ${lineSpread}, on ${inked} % of the edge` : 'none found';
  },
  get pieceWords() {
    const { pieces, holes, softness, bend } = this.readings;
    return [
      `${pieces} piece${pieces > 1 ? 's' : ''}`,
      holes ? `${holes} hole${holes > 1 ? 's' : ''}` : '',
      `edge ${softness} px`,
      bend ? `bends ${bend}°` : '',
    ]
      .filter(Boolean)
      .join(', ');
  },
  get inkRows() {
    const inks = bench.selection.onePart && bench.selection.onePart.drawing.inks;
    return (inks || []).map((ink, index) => ({ ...ink, index, key: `${ink.colour}${ink.on}` }));
  },
  get inkWords() {
    if (!bench.selection.onePart) return '';
    if (bench.selection.onePart.drawing.inks)
      return bench.selection.onePart.drawing.inks.length ? '' : 'No colour counts as ink.';
    return bench.selection.onePart.drawing.split
      ? 'Ink and fill came apart in the drawing.'
      : 'Found by itself along the edge.';
  },
  async loadReadings() {
    const part = bench.selection.onePart;
    this.partReadings = null;
    if (!part || bench.page.stageKey !== 'artwork') return;
    const answer = await fetchJson(`/bench/${bench.page.figureId}/part/${scene.revision}/${part.id}/`);
    if (answer.ok && bench.selection.onePart && bench.selection.onePart.id === part.id) this.partReadings = answer.data;
  },
  straighten() {
    bench.history.edit({
      kind: bench.selection.onePart.drawing.strip ? 'leave_curved' : 'straighten',
      parts: [bench.selection.onePart.id],
    });
  },
  setInks(inks) {
    bench.history.edit({ kind: 'set_inks', parts: bench.selection.selectedParts(), inks });
  },
  switchInk(index) {
    this.setInks(bench.selection.onePart.drawing.inks.map((ink, k) => (k === index ? { ...ink, on: !ink.on } : ink)));
  },
  dropInk(index) {
    this.setInks(bench.selection.onePart.drawing.inks.filter((ink, k) => k !== index));
  },
  findInks() {
    this.setInks(null);
  },
  async toggleLifted() {
    this.liftInk = !this.liftInk;
    await this.showLifted();
  },
  async showLifted() {
    engine.stage.instead = null;
    if (this.liftInk && bench.page.stageKey === 'artwork' && bench.page.figure) {
      const parts = bench.selection.parts.length
        ? bench.selection.parts
        : bench.page.figure.parts.map((part) => part.id);
      bench.page.message = 'Lifting the ink off …';
      const answer = await fetchJson(
        `/bench/${bench.page.figureId}/lifted/${scene.revision}/?parts=${parts.join(',')}`,
      );
      bench.page.message = '';
      if (answer.ok && this.liftInk) {
        engine.stage.instead = answer.data.pictures;
        await engine.stage.loadPictures(() => bench.sheet.redraw());
      }
    }
    bench.sheet.redraw();
  },
};
