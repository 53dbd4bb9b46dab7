// The programs the stage paints with, made of the server's shaders: plain, masked, in false colours, tinted by weights.

import * as twgl from '../../vendor/twgl/twgl-full.module.js';

const TINT_FRAG = `#version 300 es
precision highp float;
uniform sampler2D u_picture;
in vec2 v_uv;
in vec3 v_tint;
out vec4 o_colour;
void main() {
  float alpha = texture(u_picture, v_uv).a * 0.72;
  o_colour = vec4(v_tint * alpha, alpha);
}`;

// in false colours what lies over a part to hide its line is striped: its amount of tint is 2
const STRIPED =
  'float stripe = u_tint.a > 1.5 ? 0.35 + 0.65 * step(5.0, mod(gl_FragCoord.x + gl_FragCoord.y, 10.0)) : u_tint.a;\n  o_colour = vec4(mix(u_tint.a > 1.5 ? vec3(colour.a) : colour.rgb, u_tint.rgb * colour.a, stripe), colour.a) * u_opacity;';

/** All of them for a pair of shaders; `flat` are the plain and the masked one in false colours. */
export function programsOf(gl, vert, frag) {
  const masked = (one) => one.replace('\n', '\n#define MASKED\n');
  const tintVert = vert
    .replace('out vec2 v_uv;', 'out vec2 v_uv;\nin vec4 a_tint;\nout vec3 v_tint;')
    .replace('void main() {', 'void main() {\n  v_tint = a_tint.rgb;');
  const flatFrag = frag.replace(/o_colour = .*;/, STRIPED);
  const program = (...shaders) => twgl.createProgramInfo(gl, shaders);
  return {
    plain: program(vert, frag),
    masked: program(vert, masked(frag)),
    flat: [program(vert, flatFrag), program(vert, masked(flatFrag))],
    tint: program(tintVert, TINT_FRAG),
  };
}
