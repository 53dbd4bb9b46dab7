#version 300 es
// One draw item: its premultiplied picture at one level of detail, tinted, made as opaque as the item is. Masks take
// it away by their alpha, and its ink by their red: there the bare picture is seen.
precision highp float;
uniform sampler2D u_picture;
#ifdef MASKED // a program of its own: software renderers pay for what a branch leaves out
uniform sampler2D u_bare;
uniform sampler2D u_mask;
uniform bool u_has_bare;
uniform ivec2 u_veil; // how far what the masks leave lies from its place, px
#endif
uniform float u_opacity;
uniform vec4 u_tint;    // straight colour, share
in vec2 v_uv;
out vec4 o_colour;

void main() {
  vec4 colour = texture(u_picture, v_uv);
#ifdef MASKED
  vec4 kept = texelFetch(u_mask, ivec2(gl_FragCoord.xy) + u_veil, 0);
  if (u_has_bare) colour = mix(texture(u_bare, v_uv), colour, kept.r);
  colour *= kept.a;
#endif
  o_colour = vec4(mix(colour.rgb, u_tint.rgb * colour.a, u_tint.a), colour.a) * u_opacity;
}
