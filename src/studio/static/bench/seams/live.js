// The seam as it is now.

import { bench } from '../page/bench.js';
import { engine } from '../page/engine.js';

export const liveSeam = {
  seamLive: null,
  seamLiveAt: 0,
  /** The joint that is read while the figure is posed. */
  get seamWatched() {
    return bench.posing.posed && bench.page.stageKey === 'seams' && bench.seams.seamNow
      ? bench.selection.oneBone.id
      : null;
  },
  /** What was read of the chosen joint in the pose shown now. */
  get seamAt() {
    return this.seamWatched &&
      this.seamLive &&
      this.seamLive.bone === this.seamWatched &&
      this.seamLive.seen === bench.page.state.seen
      ? this.seamLive
      : null;
  },
  get seamLiveRows() {
    if (!this.seamAt) return [];
    const { reading, misses } = this.seamAt;
    const values = {
      angle: `${reading.angle.toFixed(0)}°`,
      across: Math.max(reading.ink_length - reading.corner_length, 0),
      gap: reading.gap_disc,
      step: reading.outline_step,
      notch: reading.notch,
    };
    const words = { angle: 'turned', across: 'line across', gap: 'gap', step: 'step', notch: 'notch' };
    const kinds = { across: 'ink', gap: 'gap', step: 'step', notch: 'notch' };
    return Object.entries(words).map(([key, word]) => ({
      key,
      word,
      value: key === 'angle' ? values.angle : `${values[key].toFixed(1)} px`,
      bad: misses.some((one) => one.kind === kinds[key]),
    }));
  },
  get seamLiveWords() {
    if (!this.seamAt) return '';
    return this.seamAt.misses.length
      ? `${this.seamAt.misses.map((one) => one.sentence).join('. ')}.`
      : 'Within what is tolerated in this pose.';
  },
  /** A reading of the joint that is being dragged has come. */
  async showSeamLive(seam) {
    engine.seamRead = seam;
    const bytes = Uint8Array.from(atob(seam.picture), (one) => one.charCodeAt(0));
    const picture = await createImageBitmap(new Blob([bytes], { type: 'image/png' }));
    if (engine.seamRead !== seam) return; // a newer one came while this picture was being opened
    const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById('seam-live'));
    const sheet = canvas.getContext('2d');
    sheet.canvas.width = picture.width;
    sheet.canvas.height = picture.height;
    sheet.drawImage(picture, 0, 0);
    this.seamLive = seam;
    this.seamLiveAt = performance.now();
  },
};
