/** The programs of the graphics card that show the Picture. */

import { GREY, TABLE_STOPS } from "../../data/develop";
import { CURVE_STEPS } from "../../data/grade";

export const vertex = `#version 300 es
out vec2 place;
void main() {
  place = vec2(gl_VertexID % 2, gl_VertexID / 2) * 2.0;
  gl_Position = vec4(place * 2.0 - 1.0, 0.0, 1.0);
  place.y = 1.0 - place.y;
}`;

/** What a picture has of lights, marks and grade. What it lacks costs no pixel anything. */
export type Parts = {
  discs: number;
  panorama: boolean;
  false_colour: boolean;
  stop_glare: boolean;
  vignette: boolean;
  night_eye: boolean;
  contrast: boolean;
  saturation: boolean;
  /** 0 clips, 1 rolls off, 2 is the filmic curve, as `Curve` in the document. */
  curve: number;
  ranges: boolean;
  wheels: boolean;
  drawn: boolean;
  table: boolean;
  hatched: boolean;
};

/** The fragment program of a picture with these parts. */
export function fragmentOf(parts: Parts): string {
  const defines = Object.entries(parts).map(([name, v]) => `#define ${name.toUpperCase()} ${Number(v)}`);
  return `#version 300 es\n${defines.join("\n")}\n${fragment}`;
}

/** Develops exactly as the core's develop module, in its order. */
const fragment = `precision highp float;
precision highp sampler2D;
precision highp sampler3D;
uniform sampler2D picture;
uniform sampler2D mask;
uniform float exponent;
uniform mat3 balance;
uniform vec2 half_size;
uniform float heading;
uniform mat3 camera;        // right, up and forward of the picture
uniform vec2 shift;         // of the lens, at distance 1
uniform float vignette;
uniform float contrast;
uniform float night_eye;
uniform float pivot;
uniform float saturation;
uniform vec3 ranges;        // shadows, midtones, lights
uniform vec2 range_ends;    // shadows end, lights begin
uniform vec3 lift;
uniform vec3 gain;
uniform vec3 exponents;
uniform sampler2D curves;   // a row for each channel
uniform sampler3D table;
uniform int table_size;     // values a side; none is 0
uniform bool table_of_light;
uniform float table_strength;
uniform int bands;
uniform float band_stops[16];
uniform vec3 band_colours[16];
uniform float white;        // cd/m2
#if DISCS > 0
uniform vec3 disc[DISCS];       // direction
uniform float disc_radius[DISCS];
uniform float disc_near[DISCS]; // cosine of the angle within which a pixel may show the disc
uniform vec3 disc_radiance[DISCS];
uniform vec3 disc_veil[DISCS];  // light that glare spreads, lx
uniform vec3 disc_light[DISCS]; // lx
uniform vec3 disc_in_lens[DISCS]; // to the right, up, forward
#endif
uniform float stop_strength;
uniform float stop_half_m;  // half of its width
uniform float stop_rays;
uniform float stop_turn;
uniform float roundness;
uniform float mask_side;
uniform float pixel;        // angle of a pixel
in vec2 place;
out vec4 shown;

vec2 onPlane() {
  return (place * 2.0 - 1.0) * vec2(1.0, -1.0) * half_size + shift;
}

vec3 direction() {
#if PANORAMA
  vec2 angles = vec2(heading + (place.x - 0.5) * 6.28318530718, (0.5 - place.y) * 3.14159265359);
  return vec3(cos(angles.y) * sin(angles.x), cos(angles.y) * cos(angles.x), sin(angles.y));
#else
  return normalize(camera * vec3(onPlane(), 1.0));
#endif
}

#if DISCS > 0
// Masks stand one below the other.
float maskAt(int i, ivec2 p) {
  int side = int(mask_side);
  return texelFetch(mask, clamp(p, ivec2(0), ivec2(side - 1)) + ivec2(0, i * side), 0).r;
}

// CIE 146:2002, as in the core's glare module.
float spread(float cosine, float rim) {
  float a = max(max(degrees(acos(clamp(cosine, -1.0, 1.0))), rim), 0.1);
  return 10.0 / (a * a * a) + 5.0 / (a * a);
}

#if STOP_GLARE
// Diffraction by the lens's stop, as the core's picture::diffraction.
const vec3 WAVELENGTHS = vec3(611e-9, 549e-9, 464e-9);

float stopSpread(vec2 offset, float radius) {
  const float pi = 3.14159265359;
  float angle = length(offset);
  float at = max(angle, radius);
  float even = 1.0 / (2.0 * pi * pi * pi * stop_half_m * at * at * at);
  float between = 2.0 * pi / stop_rays;
  float turned = (angle > 0.0 ? atan(offset.x, offset.y) : 0.0) - stop_turn;
  float nearest = round(turned / between);
  float rays = 0.0;
  for (int k = -2; k <= 2; k++) {
    float off = turned - (nearest + float(k)) * between;
    float along = angle * cos(off);
    float across = angle * sin(off);
    float width = radius * radius - across * across;
    if (along > 0.0 && width > 0.0) {
      float share = 2.0 * sqrt(width) / (pi * radius * radius);
      float far = max(along, radius);
      rays += share / (pi * pi * stop_half_m * far * far * stop_rays);
    }
  }
  return stop_strength * mix(rays, even, roundness);
}

vec3 stopGlare(int which) {
  if (disc_in_lens[which].z <= 0.0) return vec3(0.0);
  vec2 offset = onPlane() - disc_in_lens[which].xy / disc_in_lens[which].z;
  return disc_light[which] * stopSpread(offset, max(disc_radius[which], 0.5 * pixel)) * WAVELENGTHS;
}

#endif

vec3 sunlight(int which, vec3 d) {
  float radius = disc_radius[which];
  vec3 centre = disc[which];
  float ahead = dot(d, centre);
  vec3 glare = vec3(0.0);
  if (disc_veil[which].g > 0.0) glare = disc_veil[which] * spread(ahead, degrees(radius));
  if (ahead < disc_near[which]) return glare;
  float flat_part = max(length(centre.xy), 1e-6);
  vec3 right = vec3(centre.y, -centre.x, 0.0) / flat_part;
  vec3 up = cross(right, centre);
  vec2 offset = vec2(dot(d, right), dot(d, up)) / ahead / tan(radius);
  float edge = pixel / radius;
  float inside = 1.0 - smoothstep(1.0 - 0.5 * edge, 1.0 + 0.5 * edge, length(offset));
  vec2 p = (offset * vec2(0.5, -0.5) * 0.96 + 0.5) * mask_side - 0.5;
  ivec2 i = ivec2(floor(p));
  vec2 f = p - floor(p);
  float m = mix(mix(maskAt(which, i), maskAt(which, i + ivec2(1, 0)), f.x),
                mix(maskAt(which, i + ivec2(0, 1)), maskAt(which, i + ivec2(1, 1)), f.x), f.y);
  return glare + disc_radiance[which] * (m * inside);
}

#endif

float toneCurve(float v) {
#if CURVE == 0
  return clamp(v, 0.0, 1.0);
#elif CURVE == 1
  return v <= 0.25 ? v : 0.25 + 0.75 * (1.0 - 1.0 / (1.0 + (v - 0.25) / 0.75));
#else
  return clamp((v * (2.51 * v + 0.03)) / (v * (2.43 * v + 0.59) + 0.14), 0.0, 1.0);
#endif
}

float encode(float v) {
  return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055;
}

// Ranges of tone, as the core's develop::display.
float ranged(float v) {
  float shadow = 1.0 - smoothstep(0.0, range_ends.x, v);
  float light = smoothstep(range_ends.y, 1.0, v);
  float more = ranges.x * shadow + ranges.y * (1.0 - shadow) * (1.0 - light) + ranges.z * light;
  return v + v * (1.0 - v) * more;
}

#if DRAWN
float drawnCurve(int channel, float v) {
  const int steps = ${CURVE_STEPS};
  float x = clamp(v, 0.0, 1.0) * float(steps);
  int i = min(int(x), steps - 1);
  return mix(texelFetch(curves, ivec2(i, channel), 0).r, texelFetch(curves, ivec2(i + 1, channel), 0).r,
             x - float(i));
}
#endif

float displayed(int channel, float linear) {
  float v = encode(toneCurve(linear));
#if RANGES
  v = ranged(v);
#endif
#if WHEELS
  v = pow(clamp(gain[channel] * (v + lift[channel] * (1.0 - v)), 0.0, 1.0), exponents[channel]);
#endif
#if DRAWN
  v = drawnCurve(channel, v);
#endif
  return v;
}

vec3 tableAt(ivec3 i) {
  return texelFetch(table, i, 0).rgb;
}

// A table of colours, as the core's develop::table.
vec3 lookUp(vec3 x) {
  vec3 p = clamp(x, 0.0, 1.0) * float(table_size - 1);
  ivec3 i = min(ivec3(p), ivec3(table_size - 2));
  vec3 t = p - vec3(i);
  vec3 near = mix(mix(tableAt(i), tableAt(i + ivec3(1, 0, 0)), t.x),
                  mix(tableAt(i + ivec3(0, 1, 0)), tableAt(i + ivec3(1, 1, 0)), t.x), t.y);
  vec3 far = mix(mix(tableAt(i + ivec3(0, 0, 1)), tableAt(i + ivec3(1, 0, 1)), t.x),
                 mix(tableAt(i + ivec3(0, 1, 1)), tableAt(i + ivec3(1, 1, 1)), t.x), t.y);
  return mix(near, far, t.z);
}

vec3 bandColour(float light) {
  float stops = log2(max(light, 1e-30) / (${GREY} * white));
  int band = 0;
  for (int i = 1; i < bands; i++) if (stops >= band_stops[i]) band = i;
  return band_colours[band];
}

const vec3 LUMA = vec3(0.212639, 0.715169, 0.072192);

#if NIGHT_EYE
// Rods, as the core's develop::night_eye.
vec3 atNight(vec3 scene) {
  float y = max(dot(scene, LUMA), 0.0);
  float x = dot(scene, vec3(0.4123908, 0.35758434, 0.18048079));
  float z = dot(scene, vec3(0.01933082, 0.11919478, 0.95053215));
  float v = 1.33 * (1.0 + (y + z) / max(x, 1e-12)) - 1.68;
  float seen = y * clamp(v, 0.0, 16.0) / 2.573;
  return mix(scene, vec3(1.05, 0.97, 1.27) * seen, night_eye * 0.04 / (0.04 + y));
}
#endif

void main() {
  vec3 scene = texture(picture, place).rgb * exp2(exponent);
#if DISCS > 0
  vec3 d = direction();
  for (int i = 0; i < DISCS; i++) scene += sunlight(i, d);
#endif
#if FALSE_COLOUR
  shown = vec4(bandColour(dot(scene, LUMA)), 1.0);
  return;
#endif
#if STOP_GLARE
  for (int i = 0; i < DISCS; i++) scene += stopGlare(i);
#endif
#if VIGNETTE
  vec2 p = onPlane();
  float cosine = inversesqrt(1.0 + dot(p, p));
  scene *= 1.0 - vignette + vignette * cosine * cosine * cosine * cosine;
#endif
#if NIGHT_EYE
  scene = atNight(scene);
#endif
  vec3 c = balance * scene;
#if CONTRAST
  c = sign(c) * pivot * pow(abs(c) / pivot, vec3(contrast));
#endif
#if SATURATION
  float grey = dot(c, LUMA);
  c = vec3(grey) + saturation * (c - vec3(grey));
#endif
  float low = min(c.r, min(c.g, c.b));
  if (low < 0.0) {
    float y = max(dot(c, LUMA), 0.0);
    c = max(vec3(y) + (c - vec3(y)) * (y / (y - low)), 0.0);
  }
  vec3 v = vec3(displayed(0, c.r), displayed(1, c.g), displayed(2, c.b));
#if TABLE
  vec3 stops = log2(max(c, vec3(1e-9)) / ${GREY});
  vec3 of_light = (stops - float(${TABLE_STOPS[0]})) / float(${TABLE_STOPS[1] - TABLE_STOPS[0]});
  v = mix(v, lookUp(table_of_light ? of_light : v), table_strength);
#endif
#if HATCHED
  // Stripes that run down where all of a channel's range is used up, and up where none is.
  float step_at = mod(gl_FragCoord.x + gl_FragCoord.y, 8.0);
  float step_up = mod(gl_FragCoord.x - gl_FragCoord.y + 8192.0, 8.0);
  if (max(v.r, max(v.g, v.b)) >= 254.0 / 255.0 && step_at < 2.0) v = vec3(0.0);
  if (max(v.r, max(v.g, v.b)) < 1.0 / 255.0 && step_up < 2.0) v = vec3(0.6);
#endif
  shown = vec4(v, 1.0);
}`;
