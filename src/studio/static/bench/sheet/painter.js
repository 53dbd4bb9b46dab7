// The stage: paints the server's draw list with the server's shaders (kunstgriff/paint) in WebGL2.

import * as twgl from '../../vendor/twgl/twgl-full.module.js';
import { DrawList } from './draw_list.js';
import { Layers } from './layers.js';
import { detailAt, showLevel, upload } from './pictures.js';
import { programsOf } from './programs.js';
import { Veils } from './veils.js';

const PROVEN = 3; // pictures after a change that are asked whether they could be painted
export class Painter extends DrawList {
  static async create(canvas, shaderBase) {
    const names = ['part.vert', 'part.frag', 'whole.vert', 'composite.frag', 'veil.frag'];
    const sources = await Promise.all(names.map((name) => fetch(shaderBase + name).then((r) => r.text())));
    return new Painter(canvas, ...sources);
  }

  constructor(canvas, vert, frag, whole, composite, veil) {
    super();
    this.canvas = canvas;
    this.gl = canvas.getContext('webgl2', {
      alpha: true,
      premultipliedAlpha: true,
      antialias: false,
      preserveDrawingBuffer: false,
    });
    if (!this.gl) throw new Error('This browser has no WebGL2, which the bench needs to paint.');
    const programs = programsOf(this.gl, vert, frag);
    this.program = programs.plain;
    this.masked = programs.masked;
    this.flatPrograms = programs.flat;
    this.tint = programs.tint;
    this.layers = new Layers(this.gl, whole, composite);
    this.instead = null; // pictures to show in place of some parts' own
    this.flat = null; // how to colour each item where false colours are shown
    this.arrays = new Map();
    this.unproven = 0;
    /** @param {number} [error] */
    this.broken = (error) => {}; // told when painting failed and the geometry is wanted again
    this.textures = new Map();
    this.modes = ['normal'];
    this.veils = new Veils(this, [whole, veil]);
  }

  /** New geometry of a revision: rest vertices, picture coordinates, triangles, tints. */
  setGeometry(geometry, { items, layers, modes, blocks, amounts, order, drawn }) {
    const gl = this.gl;
    this.arrays.forEach((one) => gl.deleteVertexArray(one.vertexArrayObject));
    if (this.buffers)
      Object.values(this.buffers.attribs)
        .concat([{ buffer: this.buffers.indices }])
        .forEach((one) => gl.deleteBuffer(one.buffer));
    this.buffers = twgl.createBufferInfoFromArrays(gl, {
      a_position: { numComponents: 2, data: geometry.rest, drawType: gl.DYNAMIC_DRAW },
      a_uv: { numComponents: 2, data: geometry.uv },
      a_tint: { numComponents: 4, data: geometry.tint, type: gl.UNSIGNED_BYTE, normalize: true },
      indices: { numComponents: 3, data: geometry.indices },
    });
    // each program has arrays of its own, made with the buffers: none is left enabled on a buffer that is gone
    this.arrays = new Map(
      [this.program, this.masked, this.tint, ...this.flatPrograms].map((program) => [
        program,
        twgl.createVertexArrayInfo(gl, program, this.buffers),
      ]),
    );
    gl.bindVertexArray(null);
    this.unproven = PROVEN;
    this.changes += 1;
    this.items = items;
    this.blocks = blocks;
    this.vertices = geometry.rest;
    this.drawn = drawn;
    this.setSwitches(amounts, order);
    this.layerLooks = layers;
    this.modes = modes;
  }

  setTint(colours) {
    this.changes += 1;
    this.unproven = PROVEN;
    twgl.setAttribInfoBufferFromArray(this.gl, this.buffers.attribs.a_tint, colours);
  }

  setVertices(vertices) {
    if (vertices === this.vertices) return;
    this.changes += 1;
    this.vertices = vertices;
    twgl.setAttribInfoBufferFromArray(this.gl, this.buffers.attribs.a_position, vertices);
  }

  /** Load the pictures of the draw list, or of another one, that are not here yet; calls `painted` after each. */
  async loadPictures(painted, items = this.items) {
    const wanted = [...new Set(items.flatMap((item) => this.picturesOf(item)))].filter(
      (digest) => !this.textures.has(digest),
    );
    await Promise.all(
      wanted.map(async (digest) => {
        this.textures.set(digest, null);
        const answer = await fetch(`/figures/pictures/${digest}.png`);
        if (!answer.ok) return;
        const bitmap = await createImageBitmap(await answer.blob(), {
          premultiplyAlpha: 'premultiply',
          colorSpaceConversion: 'none',
        });
        this.textures.set(digest, upload(this.gl, bitmap));
        this.changes += 1;
        painted();
      }),
    );
  }

  /** Paint into `target` (null: the screen). `flip` is -1 for the screen (y up there), 1 to read rows from the top. */
  paint(width, height, scale, origin, flip, { tinted = null, target = null, alone = null } = {}) {
    const gl = this.gl;
    gl.viewport(0, 0, width, height);
    this.layers.clear(target);
    if (!this.buffers) return;
    gl.enable(gl.BLEND);
    const x = (2 * scale) / width;
    const y = (2 * scale) / height;
    const uniforms = { u_view: [x, y * flip, -origin[0] * x - 1, (-origin[1] * y - 1) * flip] };
    const looks = this.looks();
    const open = [];
    const close = () => {
      const layer = open.pop();
      this.layers.lay(open.length, width, height, target, looks[layer]);
    };
    const view = { width, height, scale, origin, flip, uniforms };
    showLevel(gl, this.textures, detailAt(scale));
    const shown = this.listed().filter(
      (item) =>
        this.textures.get(this.shownPicture(item)) && (!alone || alone.has(item.part)) && this.opacityOf(item) > 0,
    );
    this.veils.paintTogether(shown, view);
    gl.bindFramebuffer(gl.FRAMEBUFFER, target && target.framebuffer);
    for (const item of shown) {
      const picture = this.textures.get(this.shownPicture(item));
      const layers = this.layersOf(item);
      const wanted = item.blend === 'normal' || alone ? layers : [...layers, item.id];
      looks[item.id] = [1, this.modes.indexOf(item.blend)];
      while (open.some((layer, depth) => layer !== wanted[depth])) close();
      while (open.length < wanted.length) {
        open.push(wanted[open.length]);
        this.layers.clear(this.layers.layer(open.length, width, height));
      }
      this.drawMasked(item, view, open.length ? this.layers.layer(open.length, width, height) : target);
      if (tinted && item.variant === 'full' && tinted(item.part)) {
        this.draw(this.tint, item, { ...uniforms, u_texture: picture.place, u_picture: picture.texture });
      }
    }
    while (open.length) close();
    if (this.unproven > 0) {
      this.unproven -= 1;
      const error = gl.getError(); // waits for the picture, so only the first few after a change are asked
      if (error !== gl.NO_ERROR && error !== gl.CONTEXT_LOST_WEBGL) this.broken(error);
    }
  }

  /** Draw one item on a target, its masks applied, `depth` masks deep; shifted by some px. The server's painter does the same. */
  drawMasked(item, view, onto, depth = 0, { share = 1, taken = null, shift = [0, 0] } = {}) {
    const gl = this.gl;
    const picture = this.textures.get(this.shownPicture(item));
    const bare = item.bare && this.textures.get(item.bare);
    if (!picture || (item.bare && !bare)) return;
    const left = this.veils.left(item, view, depth, onto);
    gl.blendFunc(taken ? gl.ZERO : gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    const [plain, masked] = this.flat ? this.flatPrograms : [this.program, this.masked];
    this.draw(left ? masked : plain, item, {
      ...view.uniforms,
      u_texture: picture.place,
      u_picture: picture.texture,
      u_opacity: this.opacityOf(item) * share,
      u_tint: this.flat ? this.flat(item) : item.tint,
      u_shift: [(2 * shift[0]) / view.width, (2 * shift[1]) / view.height],
      ...(left
        ? { u_bare: (bare || picture).texture, u_mask: left.texture, u_veil: left.shift, u_has_bare: !!bare }
        : {}),
    });
  }

  /** All pictures an item needs, those of its masks included. */
  picturesOf(item) {
    const own = [item.picture, this.shownPicture(item), ...(item.bare ? [item.bare] : [])];
    return own.concat(item.masks.flatMap((mask) => mask.shapes.flatMap((one) => this.picturesOf(one))));
  }

  /** The picture an item is painted with; a view may show another. */
  shownPicture(item) {
    return this.instead && item.variant === 'full' && this.instead[item.part] ? this.instead[item.part] : item.picture;
  }

  draw(program, item, uniforms) {
    const gl = this.gl;
    if (program === this.tint) gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
    gl.useProgram(program.program);
    gl.bindVertexArray(this.arrays.get(program).vertexArrayObject);
    twgl.setUniforms(program, uniforms);
    gl.drawElements(gl.TRIANGLES, item.count, gl.UNSIGNED_INT, item.first * 4);
    gl.bindVertexArray(null);
  }

  /** Premultiplied pixels of a view, rows from the top, for comparing with the server's painter. */
  read(width, height, scale, origin) {
    const gl = this.gl;
    const target = this.layers.offscreen(width, height);
    this.paint(width, height, scale, origin, 1, { target });
    gl.bindFramebuffer(gl.FRAMEBUFFER, target.framebuffer);
    const pixels = new Uint8Array(width * height * 4);
    gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    this.layers.free(target);
    return pixels;
  }
}
