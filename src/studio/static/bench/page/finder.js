// Finding any action by its word.

import { bench } from './bench.js';

export const finder = {
  finderOpen: false,
  finderWord: '',
  finderAt: 0,
  get foundActions() {
    const words = this.finderWord.toLowerCase().split(/\s+/).filter(Boolean);
    const own = bench.page.stages.map((stage) => ({ key: `go ${stage.key}`, word: `Go to ${stage.word}`, keys: '' }));
    const things =
      words.length && bench.page.figure
        ? [
            ...bench.page.figure.bones.map((one) => ({ key: `bone ${one.id}`, word: one.name, keys: 'bone' })),
            ...bench.page.figure.parts.map((one) => ({ key: `part ${one.id}`, word: one.name, keys: 'part' })),
          ]
        : [];
    const found = [...bench.actions, ...own, ...things]
      .filter((action) => words.every((word) => `${action.word} ${action.also || ''}`.toLowerCase().includes(word)))
      .slice(0, 40);
    const at = Math.min(this.finderAt, found.length - 1);
    return found.map((action, index) => ({
      ...action,
      first: index === at && (Boolean(words.length) || this.finderAt > 0),
    }));
  },
  openFinder() {
    this.finderOpen = true;
    this.finderWord = '';
    this.finderAt = 0;
    bench.nextTick(() => document.getElementById('finder-input').focus());
  },
  closeFinder() {
    this.finderOpen = false;
  },
  runFirst() {
    const found = this.foundActions;
    if (found.length) bench.tools.run(found[Math.min(this.finderAt, found.length - 1)].key);
  },
  walkFinder(by) {
    this.finderAt = Math.min(Math.max(this.finderAt + by, 0), this.foundActions.length - 1);
    bench.nextTick(() => {
      const chosen = document.querySelector('.finder li.first');
      if (chosen) chosen.scrollIntoView({ block: 'nearest' });
    });
  },
};
