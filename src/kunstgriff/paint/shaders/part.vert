#version 300 es
// Figure space to clip space; picture coordinates to those of the padded texture.
uniform vec4 u_view;    // scale x, scale y, offset x, offset y
uniform vec4 u_texture; // scale x, scale y, offset x, offset y
uniform vec2 u_shift;   // in clip space, for what is painted beside its place
in vec2 a_position;
in vec2 a_uv;
out vec2 v_uv;

void main() {
  v_uv = a_uv * u_texture.xy + u_texture.zw;
  gl_Position = vec4(a_position * u_view.xy + u_view.zw + u_shift, 0.0, 1.0);
}
