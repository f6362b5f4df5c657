import { bandColours, STOPS } from "../../data/bands";
import { aspectOf, axesOf, halfWidth, inView } from "../../data/camera";
import { development, GREY } from "../../data/develop";
import { CURVE_STEPS, curveTables, tableOf, wheelsOf, type LoadedTable } from "../../data/grade";
import type { Eye, Grade } from "../../data/sky";
import type { Disc, PreviewFrame } from "./preview-socket";
import { discBox } from "./disc-box";
import { fragmentOf, vertex, type Parts } from "./shader";

/** What is drawn in the place of the developed picture, or over it. */
export type Marking = { falseColour: boolean; clipped: boolean; panorama: boolean };

export const plain: Marking = { falseColour: false, clipped: false, panorama: false };

/** What a picture of this frame needs of the program. */
function partsOf(frame: PreviewFrame, grade: Grade, marking: Marking): Parts {
  const { lift, gain, exponent } = wheelsOf(grade);
  const { shadows, midtones, lights } = grade.ranges;
  const discs = frame.discs.length;
  return {
    discs,
    panorama: marking.panorama,
    false_colour: marking.falseColour,
    stop_glare: grade.glare.strength > 0 && !marking.panorama && discs > 0,
    vignette: grade.vignette > 0 && !marking.panorama,
    night_eye: grade.night_eye > 0,
    contrast: grade.contrast !== 1,
    saturation: grade.saturation !== 1,
    curve: development(grade).curve,
    ranges: [shadows, midtones, lights].some((v) => v !== 0),
    wheels: lift.some((v) => v !== 0) || [...gain, ...exponent].some((v) => v !== 1),
    drawn: curveTables(grade) !== null,
    table: tableOf(grade) !== null,
    hatched: marking.clipped,
  };
}

/** Draws linear HDR pictures, developed on the graphics card. */
export class DisplayTransform {
  private readonly gl: WebGL2RenderingContext;
  /** The program of each set of parts that was drawn, and the one in use. */
  private readonly programs = new Map<string, WebGLProgram>();
  private program: WebGLProgram | null = null;
  private readonly picture: WebGLTexture;
  private readonly mask: WebGLTexture;
  private readonly curves: WebGLTexture;
  private readonly table: WebGLTexture;
  /** What the texture of the table holds. */
  private loaded: LoadedTable | null | undefined = undefined;
  private frame: PreviewFrame | null = null;

  constructor(canvas: HTMLCanvasElement | OffscreenCanvas) {
    const gl = canvas.getContext("webgl2", { antialias: false, alpha: false, preserveDrawingBuffer: true });
    if (!gl) throw new Error("This browser has no WebGL2, which the Picture needs.");
    this.gl = gl as WebGL2RenderingContext;
    this.picture = this.texture(this.gl.LINEAR);
    this.mask = this.texture(this.gl.NEAREST);
    this.curves = this.texture(this.gl.NEAREST);
    this.table = this.gl.createTexture();
  }

  private programOf(parts: Parts): WebGLProgram {
    const key = Object.values(parts).join();
    const known = this.programs.get(key);
    if (known) return known;
    const made = this.link(fragmentOf(parts));
    this.programs.set(key, made);
    return made;
  }

  private link(fragment: string): WebGLProgram {
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

  draw(eye: Eye, grade: Grade, marking: Marking = plain) {
    const { gl, frame } = this;
    if (!frame) return;
    const [width, height] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    gl.viewport(0, 0, width, height);
    const parts = partsOf(frame, grade, marking);
    const pixel = (marking.panorama ? 2 * Math.PI : 2 * halfWidth(eye)) / width;
    // Discs without glare cost only the pixels near them.
    const near = frame.discs.every((d) => d.veil[1] === 0) && !parts.stop_glare && !marking.panorama;
    this.pass(eye, grade, near ? { ...parts, discs: 0 } : parts, pixel);
    if (!near) return;
    gl.enable(gl.SCISSOR_TEST);
    for (const disc of frame.discs) {
      const box = discBox(eye, disc.direction, disc.radius + 3 * pixel, width, height);
      if (!box) continue;
      gl.scissor(...box);
      this.pass(eye, grade, parts, pixel);
    }
    gl.disable(gl.SCISSOR_TEST);
  }

  /** Draws all pixels that are not cut off; `pixel` is a pixel's angle, radians. */
  private pass(eye: Eye, grade: Grade, parts: Parts, pixel: number) {
    const { gl, frame } = this;
    if (!frame) return;
    const program = this.programOf(parts);
    this.program = program;
    const at = (name: string) => gl.getUniformLocation(program, name);
    const half = halfWidth(eye);
    const rad = Math.PI / 180;
    gl.useProgram(program);
    for (const [unit, name, texture] of [
      [0, "picture", this.picture],
      [1, "mask", this.mask],
      [2, "curves", this.curves],
    ] as const) {
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(gl.TEXTURE_2D, texture);
      gl.uniform1i(at(name), unit);
    }
    this.grade(grade);
    this.colourTable(grade);
    gl.activeTexture(gl.TEXTURE0);
    gl.uniform1f(at("exponent"), frame.exponent);
    gl.uniform1f(at("vignette"), grade.vignette);
    const { strength, f_number, blades, roundness, turn_deg } = grade.glare;
    gl.uniform1f(at("stop_strength"), strength);
    gl.uniform1f(at("stop_half_m"), (0.5e-3 * eye.lens_mm) / f_number);
    gl.uniform1f(at("stop_rays"), blades % 2 === 0 ? blades : 2 * blades);
    gl.uniform1f(at("stop_turn"), turn_deg * rad);
    gl.uniform1f(at("roundness"), roundness);
    gl.uniform1i(at("bands"), STOPS.length);
    gl.uniform1fv(at("band_stops"), STOPS);
    gl.uniform3fv(
      at("band_colours"),
      bandColours.flat().map((v) => v / 255),
    );
    gl.uniform2f(at("half_size"), half, half / aspectOf(eye));
    gl.uniform2f(at("shift"), eye.shift_right_mm / eye.lens_mm, eye.shift_up_mm / eye.lens_mm);
    gl.uniform1f(at("heading"), eye.heading_deg * rad);
    gl.uniformMatrix3fv(at("camera"), false, axesOf(eye).flat());
    gl.uniform1f(at("pixel"), pixel);
    if (parts.discs > 0) {
      const all = (of: (disc: Disc) => number[]) => frame.discs.flatMap(of);
      gl.uniform3fv(
        at("disc"),
        all((d) => d.direction),
      );
      gl.uniform1fv(
        at("disc_radius"),
        all((d) => [d.radius]),
      );
      gl.uniform1fv(
        at("disc_near"),
        all((d) => [Math.cos(d.radius + 2 * pixel)]),
      );
      gl.uniform3fv(
        at("disc_radiance"),
        all((d) => d.radiance),
      );
      gl.uniform3fv(
        at("disc_veil"),
        all((d) => d.veil),
      );
      gl.uniform3fv(
        at("disc_light"),
        all((d) => d.light),
      );
      gl.uniform3fv(
        at("disc_in_lens"),
        all((d) => inView(eye, d.direction)),
      );
    }
    gl.uniform1f(at("mask_side"), frame.mask_side);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  /** Tells the program what the grade does; the third texture is bound for it. */
  private grade(grade: Grade) {
    const { gl, program } = this;
    const at = (name: string) => program && gl.getUniformLocation(program, name);
    const { matrix } = development(grade);
    gl.uniformMatrix3fv(at("balance"), true, matrix);
    gl.uniform1f(at("white"), 1.2 * 2 ** grade.ev100);
    gl.uniform1f(at("night_eye"), grade.night_eye);
    gl.uniform1f(at("contrast"), grade.contrast);
    gl.uniform1f(at("pivot"), GREY * 2 ** grade.pivot_stops);
    gl.uniform1f(at("saturation"), grade.saturation);
    const { shadows, midtones, lights, shadows_end, lights_begin } = grade.ranges;
    gl.uniform3f(at("ranges"), shadows, midtones, lights);
    gl.uniform2f(at("range_ends"), shadows_end, lights_begin);
    const { lift, gain, exponent } = wheelsOf(grade);
    gl.uniform3fv(at("lift"), lift);
    gl.uniform3fv(at("gain"), gain);
    gl.uniform3fv(at("exponents"), exponent);
    const tables = curveTables(grade);
    const [width, height] = tables ? [CURVE_STEPS + 1, 3] : [1, 1];
    const values = new Float32Array(width * height);
    tables?.forEach((table, i) => values.set(table, i * width));
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, width, height, 0, gl.RED, gl.FLOAT, values);
  }

  /** Tells the program what table of colours there is; it is sent to the card when it is another one. */
  private colourTable(grade: Grade) {
    const { gl, program } = this;
    const at = (name: string) => program && gl.getUniformLocation(program, name);
    const table = tableOf(grade);
    gl.activeTexture(gl.TEXTURE3);
    gl.bindTexture(gl.TEXTURE_3D, this.table);
    if (this.loaded !== table) {
      this.loaded = table;
      const size = table?.size ?? 1;
      const values = table?.values ?? new Float32Array(3);
      gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
      gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
      gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGB32F, size, size, size, 0, gl.RGB, gl.FLOAT, values);
    }
    gl.uniform1i(at("table"), 3);
    gl.uniform1i(at("table_size"), table?.size ?? 0);
    gl.uniform1i(at("table_of_light"), Number(grade.table.input === "log"));
    gl.uniform1f(at("table_strength"), grade.table.strength);
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
export function developWords(
  words: number[],
  exponent: number,
  eye: Eye,
  grade: Grade,
  discs: Disc[] = [],
): number[] {
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
    discs,
    readouts: null,
    overhead: null,
    words: new Uint32Array(words),
    masks: new Float32Array(discs.length),
  });
  developer.draw(eye, grade);
  return [...developer.read()];
}
