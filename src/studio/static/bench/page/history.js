// Edits, undo and redo; presses of a key that follow closely are one edit.

import { bench } from './bench.js';
import { engine } from './engine.js';

const GATHER = 350;

export const history = {
  get undoWord() {
    return bench.page.state && bench.page.state.undo ? `Undo: ${bench.page.state.undo}` : '';
  },
  get redoWord() {
    return bench.page.state && bench.page.state.redo ? `Redo: ${bench.page.state.redo}` : '';
  },
  /** Presses of arrow keys that follow one another closely are one move, and one step to undo. */
  gather(by, done) {
    const sum = engine.gathered ? engine.gathered.sum : [0, 0];
    if (engine.gathered) clearTimeout(engine.gathered.timer);
    const next = [sum[0] + by[0], sum[1] + by[1]];
    const first = engine.gathered ? engine.gathered.done : done; // told from where the first press began
    engine.gathered = {
      sum: next,
      done: first,
      timer: setTimeout(() => {
        engine.gathered = null;
        first(next);
      }, GATHER),
    };
  },
  edit(edit) {
    if (!bench.page.mayEdit) {
      bench.page.warn(bench.page.whyNot);
      return;
    }
    bench.page.message = '';
    bench.page.warning = false;
    engine.queue.add('edit', bench.facings.of(edit));
  },
  undo() {
    if (this.undoWord) engine.queue.add('undo', null);
  },
  redo() {
    if (this.redoWord) engine.queue.add('redo', null);
  },
};
