// Draw a chain: click joint after joint, Enter ends it, Escape lets go. Begins at the selected bone's tip when there is one.

export const chain = {
  key: 'chain',
  word: () => 'Draw chain',
  building: true,
  aiming: true,
  points: [],
  parent: null,
  hint: (bench) => (bench.draftCount > 1 ? 'Click the next joint; Enter ends the chain, Escape drops it.'
    : bench.draftCount === 1 ? 'Click the next joint.' : chain.parent ? `Branching from ${bench.boneName(chain.parent)}: click the first joint.` : 'Click the first joint, then the next; Enter ends the chain.'),

  begin(bench) {
    this.points = [];
    this.parent = bench.selectedBone();
  },

  down(bench, point, event, boneId) {
    // the first click on another bone branches from it, at its tip or joint, whichever is nearer
    if (!this.points.length && boneId) {
      this.parent = boneId;
      this.points.push(bench.nearestEnd(boneId, point));
    } else {
      this.points.push(point);
    }
    bench.drawDraft(this.points, point);
  },

  move(bench, point) { bench.drawDraft(this.points, point); },
  up() {},

  enter(bench) {
    if (this.points.length < 2) {
      bench.warn('A chain needs two joints at least; click once more, or Escape to let go.');
      return;
    }
    const joints = this.points.map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);
    bench.edit({ kind: 'draw_chain', joints, parent: this.parent });
    this.cancel(bench);
    bench.useTool('select');
  },

  cancel(bench) {
    this.points = [];
    this.parent = null;
    bench.drawDraft([], null);
  },
};
