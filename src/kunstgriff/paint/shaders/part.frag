#version 300 es
// One draw item: its premultiplied picture at an even level of detail, tinted, made as opaque as the item is.
precision highp float;
uniform sampler2D u_picture;
uniform float u_opacity;
uniform float u_detail; // mipmap level
uniform vec4 u_tint;    // straight colour, share
in vec2 v_uv;
out vec4 o_colour;

void main() {
  vec4 colour = textureLod(u_picture, v_uv, u_detail);
  o_colour = vec4(mix(colour.rgb, u_tint.rgb * colour.a, u_tint.a), colour.a) * u_opacity;
}
