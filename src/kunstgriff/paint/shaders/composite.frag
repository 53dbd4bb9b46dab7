#version 300 es
// A layer laid on what is below it: W3C Compositing and Blending Level 1, Porter & Duff 1984. Modes are numbered as in
// kunstgriff/artwork/blending.py, which does the same. All colours premultiplied.
precision highp float;
uniform sampler2D u_layer;
uniform sampler2D u_below;
uniform float u_opacity;
uniform int u_mode;
out vec4 o_colour;

vec3 screen(vec3 b, vec3 s) { return b + s - b * s; }

vec3 hard_light(vec3 b, vec3 s) { return mix(screen(b, 2.0 * s - 1.0), 2.0 * b * s, vec3(lessThanEqual(s, vec3(0.5)))); }

vec3 soft_light(vec3 b, vec3 s) {
  vec3 deep = mix(sqrt(max(b, 0.0)), ((16.0 * b - 12.0) * b + 4.0) * b, vec3(lessThanEqual(b, vec3(0.25))));
  return mix(b + (2.0 * s - 1.0) * (deep - b), b - (1.0 - 2.0 * s) * b * (1.0 - b), vec3(lessThanEqual(s, vec3(0.5))));
}

float dodge(float b, float s) { return b <= 0.0 ? 0.0 : s >= 1.0 ? 1.0 : min(1.0, b / (1.0 - s)); }

float burn(float b, float s) { return b >= 1.0 ? 1.0 : s <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b) / s); }

float lum(vec3 c) { return dot(c, vec3(0.3, 0.59, 0.11)); }

float lowest(vec3 c) { return min(c.r, min(c.g, c.b)); }

float highest(vec3 c) { return max(c.r, max(c.g, c.b)); }

float sat(vec3 c) { return highest(c) - lowest(c); }

vec3 set_lum(vec3 c, float l) {
  c += l - lum(c);
  float light = lum(c), low = lowest(c), high = highest(c);
  if (low < 0.0) c = light + (c - light) * light / max(light - low, 1e-6);
  if (high > 1.0) c = light + (c - light) * (1.0 - light) / max(high - light, 1e-6);
  return c;
}

vec3 set_sat(vec3 c, float s) { return sat(c) > 0.0 ? (c - lowest(c)) * s / sat(c) : vec3(0.0); }

vec3 blended(vec3 b, vec3 s) {
  switch (u_mode) {
    case 1: return b * s;
    case 2: return screen(b, s);
    case 3: return hard_light(s, b);
    case 4: return min(b, s);
    case 5: return max(b, s);
    case 6: return vec3(dodge(b.r, s.r), dodge(b.g, s.g), dodge(b.b, s.b));
    case 7: return vec3(burn(b.r, s.r), burn(b.g, s.g), burn(b.b, s.b));
    case 8: return hard_light(b, s);
    case 9: return soft_light(b, s);
    case 10: return abs(b - s);
    case 11: return b + s - 2.0 * b * s;
    case 12: return set_lum(set_sat(s, sat(b)), lum(b));
    case 13: return set_lum(set_sat(b, sat(s)), lum(b));
    case 14: return set_lum(s, lum(b));
    case 15: return set_lum(b, lum(s));
    default: return s;
  }
}

vec3 straight(vec4 c) { return c.a > 0.0 ? c.rgb / c.a : vec3(0.0); }

void main() {
  ivec2 pixel = ivec2(gl_FragCoord.xy);
  vec4 s = texelFetch(u_layer, pixel, 0) * u_opacity;
  vec4 b = texelFetch(u_below, pixel, 0);
  if (u_mode == 16) o_colour = min(s + b, 1.0);
  else if (u_mode == 17) o_colour = s * b.a + b * (1.0 - s.a);
  else if (u_mode == 18) o_colour = b * s.a;
  else if (u_mode == 19) o_colour = b * (1.0 - s.a);
  else if (u_mode == 20) o_colour = s * (1.0 - b.a) + b * s.a;
  else {
    vec3 mixed = blended(straight(b), straight(s));
    o_colour = vec4(s.rgb * (1.0 - b.a) + b.rgb * (1.0 - s.a) + s.a * b.a * mixed, s.a + b.a * (1.0 - s.a));
  }
}
