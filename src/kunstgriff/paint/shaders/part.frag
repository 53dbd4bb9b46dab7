#version 300 es
// One draw item: its premultiplied picture at an even level of detail, made as opaque as the item is.
precision highp float;
uniform sampler2D u_picture;
uniform float u_opacity;
uniform float u_detail; // mipmap level
in vec2 v_uv;
out vec4 o_colour;

void main() {
  o_colour = textureLod(u_picture, v_uv, u_detail) * u_opacity;
}
