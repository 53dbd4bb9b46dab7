// Where a part turns; turned, scaled and cut.

import { bench } from '../page/bench.js';

export const shape = {
  get pivot() {
    return (bench.selection.onePart && bench.selection.onePart.drawing.pivot) || null;
  },
  get pivotX() {
    return this.pivot ? this.pivot[0] : '';
  },
  get pivotY() {
    return this.pivot ? this.pivot[1] : '';
  },
  placePivot(axis, value) {
    if (value === '') {
      bench.history.edit({ kind: 'set_pivot', part: bench.selection.onePart.id, to: null });
      return;
    }
    const to = [...(this.pivot || bench.ink.readings.suggestedPivot || [0, 0])];
    to[axis] = Number(value);
    bench.history.edit({ kind: 'set_pivot', part: bench.selection.onePart.id, to });
  },
  suggestPivots() {
    bench.history.edit({ kind: 'suggest_pivots', parts: bench.selection.selectedParts() });
  },
  makeCap() {
    bench.history.edit({ kind: 'make_cap', part: bench.selection.onePart.id });
  },
  /** How the chosen part is turned and scaled from its drawing. */
  get turned() {
    const steps = bench.selection.onePart ? bench.selection.onePart.drawing.remade : [];
    const last = steps[steps.length - 1];
    return last && last.kind === 'turned'
      ? { turn: last.turn, scale: last.scale, there: true }
      : { turn: 0, scale: [1, 1], there: false };
  },
  get isCut() {
    return Boolean(
      bench.selection.onePart && bench.selection.onePart.drawing.remade.some((one) => one.kind === 'severed'),
    );
  },
  get cutBones() {
    const part = bench.selection.onePart;
    if (!part) return [];
    const within = (x, y) =>
      x >= part.drawing.place[0] &&
      y >= part.drawing.place[1] &&
      x <= part.drawing.place[0] + part.drawing.size[0] &&
      y <= part.drawing.place[1] + part.drawing.size[1];
    return bench.page.figure.bones
      .filter((bone) => bone.parent && within(...bone.joint))
      .map((bone) => ({ id: bone.id, name: bone.name }));
  },
  /** @param {{ turn: number, scale: number[], about?: number[] }} how */
  turnDrawing({ turn, scale, about }) {
    const even = ((turn % 360) + 360) % 360;
    const round = (one) => Math.round(one * 1000) / 1000;
    const spot = about ? about.map(round) : null;
    bench.history.edit({
      kind: 'turn_part',
      part: bench.selection.onePart.id,
      turn: round(even > 180 ? even - 360 : even),
      scale: scale.map(round),
      about: this.turned.there ? null : spot,
    });
  },
  setTurned(value) {
    if (value !== '') this.turnDrawing({ ...this.turned, turn: Number(value) });
  },
  setScaled(axis, value) {
    const scale = [...this.turned.scale];
    scale[axis] = (Number(value) || 100) / 100;
    this.turnDrawing({ ...this.turned, scale });
  },
  get scaledX() {
    return Math.round(this.turned.scale[0] * 1000) / 10;
  },
  get scaledY() {
    return Math.round(this.turned.scale[1] * 1000) / 10;
  },
  flipPart(axis) {
    const scale = [...this.turned.scale];
    scale[axis] = -scale[axis];
    this.turnDrawing({ turn: -this.turned.turn, scale });
  },
  asDrawn() {
    bench.history.edit({ kind: 'turn_part', part: bench.selection.onePart.id });
  },
  cutAt(bone) {
    if (bone) bench.history.edit({ kind: 'cut_part', part: bench.selection.onePart.id, bone });
  },
  joinAgain() {
    bench.history.edit({ kind: 'join_again', part: bench.selection.onePart.id });
  },
};
