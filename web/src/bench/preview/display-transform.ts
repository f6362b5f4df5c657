import { aspects, halfWidth } from "../../data/camera";
import { development } from "../../data/develop";
import type { Eye, Grade } from "../../data/sky";
import type { Disc, PreviewFrame } from "./preview-socket";

const vertex = `#version 300 es
out vec2 place;
void main() {
  place = vec2(gl_VertexID % 2, gl_VertexID / 2) * 2.0;
  gl_Position = vec4(place * 2.0 - 1.0, 0.0, 1.0);
  place.y = 1.0 - place.y;
}`;

// Develops exactly as the core's develop module: matrix, gamut toward grey, curve, sRGB.
const fragment = `#version 300 es
precision highp float;
precision highp sampler2D;
uniform sampler2D picture;
uniform sampler2D mask;
uniform float exponent;
uniform mat3 balance;
uniform int curve;
uniform vec2 half_size;
uniform vec2 turn;          // heading, pitch
uniform int discs;
uniform vec3 disc[5];       // direction
uniform float disc_radius[5];
uniform vec3 disc_radiance[5];
uniform vec3 disc_veil[5];  // light that glare spreads, lx
uniform float mask_side;
uniform float pixel;        // angle of a pixel
in vec2 place;
out vec4 shown;

vec3 direction() {
  vec2 s = (place * 2.0 - 1.0) * vec2(1.0, -1.0) * half_size;
  float flat_part = cos(turn.y) - s.y * sin(turn.y);
  return normalize(vec3(
    flat_part * sin(turn.x) + s.x * cos(turn.x),
    flat_part * cos(turn.x) - s.x * sin(turn.x),
    sin(turn.y) + s.y * cos(turn.y)));
}

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

vec3 sunlight(int which) {
  vec3 d = direction();
  float radius = disc_radius[which];
  vec3 centre = disc[which];
  float ahead = dot(d, centre);
  vec3 glare = vec3(0.0);
  if (disc_veil[which].g > 0.0) glare = disc_veil[which] * spread(ahead, degrees(radius));
  if (ahead < cos(radius + 2.0 * pixel)) return glare;
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

float toneCurve(float v) {
  if (curve == 0) return clamp(v, 0.0, 1.0);
  if (curve == 1) return v <= 0.25 ? v : 0.25 + 0.75 * (1.0 - 1.0 / (1.0 + (v - 0.25) / 0.75));
  return clamp((v * (2.51 * v + 0.03)) / (v * (2.43 * v + 0.59) + 0.14), 0.0, 1.0);
}

float encode(float v) {
  return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055;
}

void main() {
  vec3 scene = texture(picture, place).rgb * exp2(exponent);
  for (int i = 0; i < discs; i++) scene += sunlight(i);
  vec3 c = balance * scene;
  float low = min(c.r, min(c.g, c.b));
  if (low < 0.0) {
    float y = max(dot(c, vec3(0.212639, 0.715169, 0.072192)), 0.0);
    c = max(vec3(y) + (c - vec3(y)) * (y / (y - low)), 0.0);
  }
  shown = vec4(encode(toneCurve(c.r)), encode(toneCurve(c.g)), encode(toneCurve(c.b)), 1.0);
}`;

/** Draws linear HDR pictures, developed on the graphics card. */
export class DisplayTransform {
  private readonly gl: WebGL2RenderingContext;
  private readonly program: WebGLProgram;
  private readonly picture: WebGLTexture;
  private readonly mask: WebGLTexture;
  private frame: PreviewFrame | null = null;

  constructor(canvas: HTMLCanvasElement | OffscreenCanvas) {
    const gl = canvas.getContext("webgl2", { antialias: false, alpha: false, preserveDrawingBuffer: true });
    if (!gl) throw new Error("This browser has no WebGL2, which the Picture needs.");
    this.gl = gl as WebGL2RenderingContext;
    this.program = this.link();
    this.picture = this.texture(this.gl.LINEAR);
    this.mask = this.texture(this.gl.NEAREST);
  }

  private link(): WebGLProgram {
    const { gl } = this;
    const program = gl.createProgram();
    for (const [kind, source] of [
      [gl.VERTEX_SHADER, vertex],
      [gl.FRAGMENT_SHADER, fragment],
    ] as const) {
      const shader = gl.createShader(kind);
      if (!shader) throw new Error("the graphics card is gone");
      gl.shaderSource(shader, source);
      gl.compileShader(shader);
      gl.attachShader(program, shader);
    }
    gl.linkProgram(program);
    if (!gl.getProgramParameter(program, gl.LINK_STATUS))
      throw new Error(gl.getProgramInfoLog(program) ?? "the shader does not link");
    return program;
  }

  private texture(filter: number): WebGLTexture {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    return texture;
  }

  load(frame: PreviewFrame) {
    const { gl } = this;
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 4);
    gl.bindTexture(gl.TEXTURE_2D, this.picture);
    gl.texImage2D(
      gl.TEXTURE_2D,
      0,
      gl.RGB9_E5,
      frame.width,
      frame.height,
      0,
      gl.RGB,
      gl.UNSIGNED_INT_5_9_9_9_REV,
      frame.words,
    );
    gl.bindTexture(gl.TEXTURE_2D, this.mask);
    const [side, count] = [frame.mask_side, Math.max(1, frame.discs.length)];
    const masks = frame.discs.length > 0 ? frame.masks : new Float32Array(side * side);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, side, side * count, 0, gl.RED, gl.FLOAT, masks);
    this.frame = frame;
  }

  draw(eye: Eye, grade: Grade) {
    const { gl, program, frame } = this;
    if (!frame) return;
    const at = (name: string) => gl.getUniformLocation(program, name);
    const { matrix, curve } = development(grade);
    const half = halfWidth(eye);
    const rad = Math.PI / 180;
    gl.viewport(0, 0, gl.drawingBufferWidth, gl.drawingBufferHeight);
    gl.useProgram(program);
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, this.picture);
    gl.activeTexture(gl.TEXTURE1);
    gl.bindTexture(gl.TEXTURE_2D, this.mask);
    gl.uniform1i(at("picture"), 0);
    gl.uniform1i(at("mask"), 1);
    gl.activeTexture(gl.TEXTURE0);
    gl.uniform1f(at("exponent"), frame.exponent);
    gl.uniformMatrix3fv(at("balance"), true, matrix);
    gl.uniform1i(at("curve"), curve);
    gl.uniform2f(at("half_size"), half, half / aspects[eye.frame]);
    gl.uniform2f(at("turn"), eye.heading_deg * rad, eye.pitch_deg * rad);
    gl.uniform1i(at("discs"), frame.discs.length);
    if (frame.discs.length > 0) {
      const all = (of: (disc: Disc) => number[]) => frame.discs.flatMap(of);
      gl.uniform3fv(
        at("disc"),
        all((d) => d.direction),
      );
      gl.uniform1fv(
        at("disc_radius"),
        all((d) => [d.radius]),
      );
      gl.uniform3fv(
        at("disc_radiance"),
        all((d) => d.radiance),
      );
      gl.uniform3fv(
        at("disc_veil"),
        all((d) => d.veil),
      );
    }
    gl.uniform1f(at("mask_side"), frame.mask_side);
    gl.uniform1f(at("pixel"), (2 * half) / gl.drawingBufferWidth);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  /** Bytes of the drawn picture, rows from the top. */
  read(): Uint8Array {
    const { gl } = this;
    const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    const bytes = new Uint8Array(4 * w * h);
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, bytes);
    const turned = new Uint8Array(bytes.length);
    for (let y = 0; y < h; y++) turned.set(bytes.subarray(4 * w * (h - 1 - y), 4 * w * (h - y)), 4 * w * y);
    return turned;
  }
}

/** Develops packed words as the Picture does; for holding the shader against the core. */
export function developWords(words: number[], exponent: number, eye: Eye, grade: Grade): number[] {
  const developer = new DisplayTransform(new OffscreenCanvas(words.length, 1));
  developer.load({
    number: 0,
    stage: "refined",
    ev100: grade.ev100,
    sun_elevation_deg: 0,
    width: words.length,
    height: 1,
    exponent,
    milliseconds: 0,
    mask_side: 1,
    discs: [],
    readouts: null,
    overhead: null,
    words: new Uint32Array(words),
    masks: new Float32Array(0),
  });
  developer.draw(eye, grade);
  return [...developer.read()];
}
