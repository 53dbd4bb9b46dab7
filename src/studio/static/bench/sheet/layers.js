// Offscreen layers: groups that are painted by themselves first, laid on one another by the server's own shader.

import * as twgl from '../../vendor/twgl/twgl-full.module.js';

export class Layers {
  constructor(gl, whole, composite) {
    this.gl = gl;
    this.laying = twgl.createProgramInfo(gl, [whole, composite]);
    this.nothing = gl.createVertexArray();
    this.layers = [];
  }

  clear(target) {
    const gl = this.gl;
    gl.bindFramebuffer(gl.FRAMEBUFFER, target && target.framebuffer);
    gl.clearColor(0, 0, 0, 0);
    gl.clear(gl.COLOR_BUFFER_BIT);
  }

  /** The offscreen layer at a depth, from 1; the next deeper one serves as a copy of what is below. */
  layer(depth, width, height) {
    const known = this.layers[depth];
    if (known && known.width === width && known.height === height) return known;
    if (known) this.free(known);
    this.layers[depth] = this.offscreen(width, height);
    return this.layers[depth];
  }

  offscreen(width, height) {
    const gl = this.gl;
    return twgl.createFramebufferInfo(
      gl,
      [{ internalFormat: gl.RGBA8, format: gl.RGBA, type: gl.UNSIGNED_BYTE, min: gl.NEAREST, wrap: gl.CLAMP_TO_EDGE }],
      width,
      height,
    );
  }

  free(target) {
    this.gl.deleteFramebuffer(target.framebuffer);
    target.attachments.forEach((one) => this.gl.deleteTexture(one));
  }

  /** Lay the layer above `depth` on the one there (0: the target itself). */
  lay(depth, width, height, target, [opacity, mode]) {
    const gl = this.gl;
    const below = depth ? this.layer(depth, width, height) : target;
    const source = this.layer(depth + 1, width, height);
    const copy = this.layer(depth + 2, width, height);
    gl.bindFramebuffer(gl.FRAMEBUFFER, below && below.framebuffer);
    gl.bindTexture(gl.TEXTURE_2D, copy.attachments[0]);
    gl.copyTexSubImage2D(gl.TEXTURE_2D, 0, 0, 0, 0, 0, width, height);
    gl.disable(gl.BLEND);
    gl.useProgram(this.laying.program);
    gl.bindVertexArray(this.nothing);
    twgl.setUniforms(this.laying, {
      u_layer: source.attachments[0],
      u_below: copy.attachments[0],
      u_opacity: opacity,
      u_mode: mode,
    });
    gl.drawArrays(gl.TRIANGLES, 0, 3);
    gl.bindVertexArray(null);
    gl.enable(gl.BLEND);
  }
}
