// Correctives: shapes that come with the turns of one bone or two, pulled where a bend looks wrong.

import { bench } from '../page/bench.js';
import { post } from '../page/api.js';

const DEGREES = { maximumFractionDigits: 1 };

export const correctives = {
  chosen: '',
  known: null, // the ids of those that were there before one is begun
  get all() {
    return bench.page.figure ? bench.page.figure.correctives : [];
  },
  get one() {
    return this.all.find(({ id }) => id === this.chosen) || null;
  },
  get title() {
    return this.one ? `Corrective ${this.one.name}` : '';
  },
  /** Its samples by their turns. */
  get rows() {
    if (!this.one) return [];
    return [...this.one.samples]
      .sort((a, b) => a.at[0] - b.at[0])
      .map(({ at, sculpts, channels }) => ({
        key: at.join(),
        at,
        words: at.map((one) => `${one.toLocaleString('en', DEGREES)}°`).join(' and '),
        parts: [
          ...sculpts.map(({ part }) => bench.page.figure.parts.find(({ id }) => id === part).name),
          ...new Set(Object.keys(channels).map((address) => bench.pulling.handleWord(address))),
        ].join(', '),
      }));
  },
  get mayBegin() {
    return [1, 2].includes(bench.selection.bones.length);
  },
  get beginWords() {
    if (!this.mayBegin) return 'Choose the bone that bends, or two of them';
    const names = bench.selection.bones.map((ref) => bench.page.boneName(ref));
    return `Begin a corrective of ${names.join(' and ')}`;
  },
  begin() {
    this.known = new Set(this.all.map(({ id }) => id));
    bench.history.edit({ kind: 'make_corrective', bones: [...bench.selection.bones] });
  },
  /** A new state of the figure: the one that was begun is chosen, and pulled at. */
  taken() {
    const begun = this.known && this.all.find(({ id }) => !this.known.has(id));
    if (!begun) return;
    this.known = null;
    bench.slip.choose({ kind: 'corrective', id: begun.id });
    bench.tools.useTool('pull');
  },
  proposing: '',
  /** The shapes that mend what the fan says is missed, angle after angle, laid as one corrective. */
  async propose() {
    const bone = bench.selection.oneBone;
    const { fanRead: read } = bench.fan;
    const [samples, told] = [[], []];
    for (const { angle } of read.readings.filter((one) => one.told)) {
      this.proposing = `mending the bend at ${Math.round(angle)}° …`;
      const answer = await post(`/bench/${bench.page.figureId}/correct/${read.revision}/${bone.id}/`, { angle });
      if (!answer.ok) continue;
      samples.push(...answer.data.samples);
      told.push(
        `${Math.round(angle)}°: it ${answer.data.before[0]}; now it ${answer.data.after[0] || 'misses nothing'}`,
      );
    }
    this.proposing = told.join('. ') || 'Nothing found reads better than the bend as it is.';
    const known = this.all.find(({ bones }) => bones.length === 1 && bones[0] === bone.id);
    if (samples.length)
      bench.history.edit({ kind: 'lay_samples', bones: [bone.id], name: known ? known.name : bone.name, samples });
  },
  /** Turn its bones to where a sample is. */
  goTo({ at }) {
    if (!bench.posing.posed) bench.posing.turnOver();
    this.one.bones.forEach((ref, k) => bench.posing.poseTurn(ref, at[k]));
  },
  forget({ at }) {
    bench.history.edit({ kind: 'forget_sample', corrective: this.one.id, at: [...at] });
  },
  lift() {
    bench.history.edit({ kind: 'lift_corrective', corrective: this.one.id });
  },
  /** What is pulled into: the chosen corrective or laid-on shape. */
  get target() {
    return this.one || bench.shapes.one;
  },
  /** The parts that are pulled at: those selected, else those with a mesh that its bones move or those they hang on. */
  get parts() {
    const { figure } = bench.page;
    const bones = this.one ? figure.bones.filter(({ id }) => this.one.bones.includes(id)) : [];
    const around = bones.flatMap(({ id, parent }) => [id, parent]);
    const meshed = (part) => part.mesh || part.binding.mesh;
    const some = bench.selection.parts.length
      ? figure.parts.filter(({ id }) => bench.selection.parts.includes(id))
      : figure.parts.filter(({ id }) => !this.one || bench.selection.movedBy(around).includes(id));
    return some.filter((part) => meshed(part) && !part.left_out && part.visible).map(({ id }) => id);
  },
  /** Why nothing can be pulled at as things are, or ''. */
  get whyNot() {
    if (!this.target) return 'Choose a corrective or a shape on the card first.';
    if (!bench.posing.posed) return 'Turn the sheet over (R) and pose it so that it looks wrong.';
    if (!this.parts.length) return 'Nothing that it moves has a mesh; bind it with weights first.';
    if (!this.one && Math.abs(bench.shapes.amount) < 0.05) return 'Lay the shape on first; then pull.';
    return '';
  },
};
