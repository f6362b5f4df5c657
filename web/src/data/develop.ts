import { displayGrade, lookUp, tableOf } from "./grade";
import type { Grade } from "./sky";
import {
  blackbodyUv,
  bradford,
  bradfordInverse,
  miredFrom,
  miredStep,
  rgbToXyz,
  xyzToRgb,
} from "./white-points";

type Matrix = number[][];

const times = (m: Matrix, v: number[]) => m.map((row) => row.reduce((s, a, i) => s + a * (v[i] ?? 0), 0));

function whiteXyz(kelvin: number, tint: number): number[] {
  const x = Math.max(0, Math.min(blackbodyUv.length - 1.001, (1e6 / kelvin - miredFrom) / miredStep));
  const [a, b] = [blackbodyUv[Math.floor(x)] ?? [0, 0], blackbodyUv[Math.floor(x) + 1] ?? [0, 0]];
  const at = (k: 0 | 1) => (a[k] ?? 0) + ((b[k] ?? 0) - (a[k] ?? 0)) * (x % 1);
  const [u, v] = [at(0), at(1) + tint * 2e-4];
  const d = 2 * u - 8 * v + 4;
  const [cx, cy] = [(3 * u) / d, (2 * v) / d];
  return [cx / cy, 1, (1 - cx - cy) / cy];
}

/**
 * What the shader multiplies with, row by row, and the number of its curve; as the core's `develop` has it.
 */
export function development(grade: Grade): { matrix: number[]; curve: number } {
  const from = times(bradford, whiteXyz(grade.white_k, grade.tint));
  const to = times(bradford, whiteXyz(6500, 0));
  const scale = 1 / (1.2 * 2 ** grade.ev100);
  const columns = [0, 1, 2].map((i) => {
    const cone = times(
      bradford,
      rgbToXyz.map((row) => row[i] ?? 0),
    );
    const adapted = cone.map((v, k) => (v * (to[k] ?? 0)) / (from[k] ?? 1));
    return times(xyzToRgb, times(bradfordInverse, adapted));
  });
  const matrix = [0, 1, 2].flatMap((r) => columns.map((c) => (c[r] ?? 0) * scale));
  return { matrix, curve: { clip: 0, filmic: 1, aces: 2 }[grade.tone_curve] };
}

/** The exposure for a height of the first sun, as the core's `Grade::ev100_at`. */
export function exposureAt(grade: Grade, sunElevation: number): number {
  const stops = [...grade.exposures].sort((a, b) => a.sun_elevation_deg - b.sun_elevation_deg);
  const next = stops.findIndex((s) => s.sun_elevation_deg > sunElevation);
  const above = stops[next];
  const below = next === -1 ? stops.at(-1) : stops[next - 1];
  if (!below) return above?.ev100 ?? grade.ev100;
  if (!above) return below.ev100;
  const t = (sunElevation - below.sun_elevation_deg) / (above.sun_elevation_deg - below.sun_elevation_deg);
  return below.ev100 + (above.ev100 - below.ev100) * t;
}

/** Linear light of a shared-exponent word (RGB9_E5), before the frame's own power of two. */
export function unpack(word: number): [number, number, number] {
  const scale = 2 ** ((word >>> 27) - 24);
  return [(word & 511) * scale, ((word >>> 9) & 511) * scale, ((word >>> 18) & 511) * scale];
}

export const encodeSrgb = (v: number) =>
  v <= 0.0031308 ? 12.92 * Math.max(v, 0) : 1.055 * Math.min(v, 1) ** (1 / 2.4) - 0.055;
export const decodeSrgb = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

const curves: ((v: number) => number)[] = [
  (v) => Math.max(0, Math.min(1, v)),
  (v) => (v <= 0.25 ? Math.max(0, v) : 0.25 + 0.75 * (1 - 1 / (1 + (v - 0.25) / 0.75))),
  (v) => Math.max(0, Math.min(1, (v * (2.51 * v + 0.03)) / (v * (2.43 * v + 0.59) + 0.14))),
];

/** Grey of an exposure, as a share of display white. */
export const GREY = 0.18;

type Rgb = [number, number, number];

/** Luminance of linear Rec.709. */
export const luminance = (c: readonly number[]) =>
  0.212639 * (c[0] ?? 0) + 0.715169 * (c[1] ?? 0) + 0.072192 * (c[2] ?? 0);

/** A colour outside Rec.709 moved toward grey of its luminance, as the core's `gamut_to_grey`. */
function gamutToGrey(c: Rgb): Rgb {
  const low = Math.min(...c);
  if (low >= 0) return c;
  const y = Math.max(luminance(c), 0);
  return c.map((v) => Math.max(y + (v - y) * (y / (y - low)), 0)) as Rgb;
}

/** Stops from grey that 0 and 1 stand for in a table for scene light. */
export const TABLE_STOPS = [-10, 8] as const;
const placeOfLight = (v: number) =>
  (Math.log2(Math.max(v, 1e-9) / GREY) - TABLE_STOPS[0]) / (TABLE_STOPS[1] - TABLE_STOPS[0]);

/** What rods see at a luminance, and how it looks; as the core's `NightEye`. */
export function nightEye(share: number, light: readonly [number, number, number]): readonly number[] {
  if (share === 0) return light;
  const y = Math.max(luminance(light), 0);
  const [x, , z] = rgbToXyz.map((row) => row.reduce((sum, m, i) => sum + m * (light[i] ?? 0), 0));
  const v = 1.33 * (1 + (y + (z ?? 0)) / Math.max(x ?? 0, 1e-12)) - 1.68;
  const seen = (y * Math.max(0, Math.min(16, v))) / 2.573;
  const rods = (share * 0.04) / (0.04 + y);
  return light.map((c, i) => c + (([1.05, 0.97, 1.27][i] ?? 1) * seen - c) * rods);
}

/** Scene light as display values, 0 to 1, for what is drawn without the graphics card. */
export function displayed(grade: Grade): (light: readonly [number, number, number]) => Rgb {
  const { matrix, curve } = development(grade);
  const tone = curves[curve] ?? ((v: number) => v);
  const pivot = GREY * 2 ** grade.pivot_stops;
  const finish = displayGrade(grade);
  const table = tableOf(grade);
  const { input, strength } = grade.table;
  const mixed = (own: Rgb, to: Rgb) => own.map((v, i) => v + ((to[i] ?? 0) - v) * strength) as Rgb;
  return (of) => {
    const light = nightEye(grade.night_eye, of);
    const c = [0, 1, 2].map((r) => {
      const v = [0, 1, 2].reduce((sum, k) => sum + (matrix[3 * r + k] ?? 0) * (light[k] ?? 0), 0);
      return grade.contrast === 1 ? v : Math.sign(v) * pivot * (Math.abs(v) / pivot) ** grade.contrast;
    }) as Rgb;
    const y = luminance(c);
    const inside = gamutToGrey(c.map((v) => y + grade.saturation * (v - y)) as Rgb);
    const own = finish(inside.map((v) => encodeSrgb(tone(v))) as Rgb);
    if (!table) return own;
    const place = input === "display" ? own : (inside.map(placeOfLight) as Rgb);
    return mixed(own, lookUp(table, place));
  };
}

/** The same from 0 to 255. */
export function developer(grade: Grade): (light: readonly [number, number, number]) => number[] {
  const show = displayed(grade);
  return (light) => show(light).map((v) => Math.round(255 * v));
}
