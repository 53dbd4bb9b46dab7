#version 300 es
// One mask laid on what the masks before it left: its alpha is what the alpha there is multiplied by.
precision highp float;
uniform sampler2D u_shape;
uniform float u_share; // how far the mask is on
out vec4 o_colour;

void main() {
  o_colour = vec4(mix(1.0, texelFetch(u_shape, ivec2(gl_FragCoord.xy), 0).a, u_share));
}
