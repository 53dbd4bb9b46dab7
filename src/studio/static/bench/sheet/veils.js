// Veils: what masks leave of items, painted before the items themselves; the server's painter does the same.
// In a veil, alpha is what is left of all of an item, red what is left of its ink.

import * as twgl from '../../vendor/twgl/twgl-full.module.js';

const TOGETHER = 0; // the veil of the masks that are painted side by side; each depth has two of its own

export class Veils {
  constructor(stage, sources) {
    this.stage = stage;
    this.gl = stage.gl;
    this.laying = twgl.createProgramInfo(this.gl, sources);
    this.targets = [];
    this.placed = new Map();
  }

  /** The masks of an item that take effect now, those that keep it inside first, and how far each is on. */
  masksOn(item) {
    const on = item.masks
      .map((mask) => ({ mask, share: this.stage.share(mask.switches) }))
      .filter(({ share }) => share > 0);
    return on.sort((a, b) => a.mask.out - b.mask.out);
  }

  /** What the masks leave of an item: a texture and how far in it the item's place is shifted; null without masks. */
  left(item, view, depth, onto) {
    const masks = this.masksOn(item);
    if (!masks.length) return null;
    if (!depth && this.placed.has(item.id))
      return { texture: this.target(TOGETHER, view).attachments[0], shift: this.placed.get(item.id) };
    const { gl } = this;
    const kept = [
      gl.getParameter(gl.COLOR_WRITEMASK),
      gl.isEnabled(gl.SCISSOR_TEST) && gl.getParameter(gl.SCISSOR_BOX),
    ];
    const left = this.target(2 * depth + 1, view);
    this.take(masks, view, left, this.box(item, view), depth + 1);
    gl.bindFramebuffer(gl.FRAMEBUFFER, onto && onto.framebuffer);
    gl.colorMask(...kept[0]);
    if (kept[1]) gl.scissor(...kept[1]);
    else gl.disable(gl.SCISSOR_TEST);
    return { texture: left.attachments[0], shift: [0, 0] };
  }

  /** Paint the masks of as many items as find room in one veil, side by side; changing targets is what costs. */
  paintTogether(items, view) {
    const { gl } = this;
    this.placed.clear();
    let [x, y, row] = [0, 0, 0];
    for (const item of items) {
      const masks = this.masksOn(item);
      if (!masks.length || !goTogether(masks)) continue;
      const [left, top, w, h] = this.box(item, view);
      if (x + w > view.width) [x, y, row] = [0, y + row, 0];
      if (x + w > view.width || y + h > view.height) continue;
      const shift = [x - left, y - top];
      this.take(masks, view, this.target(TOGETHER, view), [x, y, w, h], 1, shift);
      this.placed.set(item.id, shift);
      [x, row] = [x + w, Math.max(row, h)];
    }
    gl.colorMask(true, true, true, true);
    gl.disable(gl.SCISSOR_TEST);
  }

  /** Paint into a box of the veil `left` what masks leave of an item: all of it at first; `depth` is that of their shapes. */
  take(masks, view, left, box, depth, shift = [0, 0]) {
    const { gl, stage } = this;
    gl.bindFramebuffer(gl.FRAMEBUFFER, left.framebuffer);
    gl.enable(gl.SCISSOR_TEST);
    gl.scissor(...box);
    gl.colorMask(true, true, true, true);
    gl.clearColor(1, 1, 1, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    gl.clearColor(0, 0, 0, 0);
    masks.forEach(({ mask, share }, number) => {
      const channels = [mask.ink_only, false, false, !mask.ink_only];
      gl.colorMask(...channels);
      if (mask.out) {
        // taking one shape after the other away is taking away what they cover together
        for (const one of mask.shapes) stage.drawMasked(one, view, left, depth, { share, taken: mask, shift });
      } else if (!number && share === 1) {
        // nothing is taken yet: what is inside is what is left
        gl.clear(gl.COLOR_BUFFER_BIT);
        for (const one of mask.shapes) stage.drawMasked(one, view, left, depth, { shift });
      } else {
        const shape = this.target(2 * depth, view);
        gl.bindFramebuffer(gl.FRAMEBUFFER, shape.framebuffer);
        gl.colorMask(true, true, true, true);
        gl.clear(gl.COLOR_BUFFER_BIT);
        for (const one of mask.shapes) stage.drawMasked(one, view, shape, depth);
        gl.bindFramebuffer(gl.FRAMEBUFFER, left.framebuffer);
        gl.useProgram(this.laying.program);
        gl.bindVertexArray(stage.nothing);
        twgl.setUniforms(this.laying, { u_shape: shape.attachments[0], u_share: share });
        gl.colorMask(...channels);
        gl.blendFunc(gl.ZERO, gl.SRC_ALPHA);
        gl.drawArrays(gl.TRIANGLES, 0, 3);
        gl.bindVertexArray(null);
      }
    });
  }

  /** The pixels an item may touch: left, first row, width, height, inside the view. */
  box(item, { width, height, scale, origin, flip }) {
    const [start, count] = this.stage.blocks[item.block];
    const low = [Infinity, Infinity];
    const high = [-Infinity, -Infinity];
    for (let k = 2 * start; k < 2 * (start + count); k++) {
      const value = (this.stage.vertices[k] - origin[k % 2]) * scale;
      if (value < low[k % 2]) low[k % 2] = value;
      if (value > high[k % 2]) high[k % 2] = value;
    }
    const within = (value, most) => Math.min(Math.max(value, 0), most);
    const [left, right] = [within(Math.floor(low[0]) - 1, width), within(Math.ceil(high[0]) + 1, width)];
    let [top, bottom] = [within(Math.floor(low[1]) - 1, height), within(Math.ceil(high[1]) + 1, height)];
    if (flip < 0) [top, bottom] = [height - bottom, height - top];
    return [left, top, right - left, bottom - top];
  }

  /** An offscreen target of a view's size. */
  target(number, { width, height }) {
    const known = this.targets[number];
    if (known && known.width === width && known.height === height) return known;
    if (known) this.stage.layers.free(known);
    this.targets[number] = this.stage.layers.offscreen(width, height);
    return this.targets[number];
  }
}

/** Whether masks can be painted without veils of their own: their shapes are whole, at most one keeps inside. */
function goTogether(masks) {
  const inside = masks.filter(({ mask }) => !mask.out);
  return (
    inside.length <= 1 &&
    inside.every(({ share }) => share === 1) &&
    masks.every(({ mask }) => mask.shapes.every((one) => !one.masks.length))
  );
}
