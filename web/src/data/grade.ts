/** Steps of a grade on display values, as the core's `develop::display` has them. */

import type { ColourTable, CurvePoint, DrawnCurves, Grade, ToneRanges, Wheel } from "./sky";

/** Intervals of a drawn curve's table. */
export const CURVE_STEPS = 1024;

type Rgb = [number, number, number];

const clamp = (v: number) => Math.max(0, Math.min(1, v));
const smoothstep = (t: number) => {
  const c = clamp(t);
  return c * c * (3 - 2 * c);
};

export const channelsOf = (w: Wheel): Rgb => [w.all + w.red, w.all + w.green, w.all + w.blue];

/** Lift, gain and exponent of each channel. */
export function wheelsOf(grade: Grade): { lift: Rgb; gain: Rgb; exponent: Rgb } {
  return {
    lift: channelsOf(grade.lift).map((v) => v / 2) as Rgb,
    gain: channelsOf(grade.gain).map((v) => 2 ** v) as Rgb,
    exponent: channelsOf(grade.gamma).map((v) => 2 ** -v) as Rgb,
  };
}

/** A display value after the ranges of tone. */
export function ranged(r: ToneRanges, v: number): number {
  const shadow = 1 - smoothstep(v / r.shadows_end);
  const light = smoothstep((v - r.lights_begin) / (1 - r.lights_begin));
  const more = r.shadows * shadow + r.midtones * (1 - shadow) * (1 - light) + r.lights * light;
  return v + v * (1 - v) * more;
}

/**
 * A curve through points as a table: monotone cubics (Fritsch and Carlson 1980; slopes by Fritsch and Butland
 * 1984), through black and white where no other point stands there.
 */
export function drawnCurve(points: CurvePoint[]): Float32Array {
  let knots: [number, number][] = [
    [0, 0],
    [1, 1],
  ];
  for (const p of points) {
    knots = knots.filter(([from]) => Math.abs(from - p.from) > 1e-6);
    knots.push([p.from, p.to]);
  }
  knots.sort((a, b) => a[0] - b[0]);
  const knot = (i: number) => knots[i] ?? [0, 0];
  const steps = knots.slice(1).map((k, i) => [k[0] - knot(i)[0], k[1] - knot(i)[1]] as const);
  const secant = (i: number) => (steps[i]?.[1] ?? 0) / (steps[i]?.[0] ?? 1);
  const slopes = knots.map((_, i) => {
    if (i === 0) return secant(0);
    if (i === steps.length) return secant(i - 1);
    const [before, after] = [secant(i - 1), secant(i)];
    if (before * after <= 0) return 0;
    const [a, b] = [steps[i - 1]?.[0] ?? 1, steps[i]?.[0] ?? 1];
    return (3 * (a + b)) / ((2 * b + a) / before + (b + 2 * a) / after);
  });
  return Float32Array.from({ length: CURVE_STEPS + 1 }, (_, i) => {
    const x = i / CURVE_STEPS;
    const past = knots.findIndex((k) => k[0] > x);
    const k = Math.max(1, Math.min(knots.length - 1, past === -1 ? knots.length : past)) - 1;
    const h = steps[k]?.[0] ?? 1;
    const t = clamp((x - knot(k)[0]) / h);
    const [t2, t3] = [t * t, t * t * t];
    return clamp(
      (2 * t3 - 3 * t2 + 1) * knot(k)[1] +
        (t3 - 2 * t2 + t) * h * (slopes[k] ?? 0) +
        (3 * t2 - 2 * t3) * knot(k + 1)[1] +
        (t3 - t2) * h * (slopes[k + 1] ?? 0),
    );
  });
}

/** A curve's table at a value, by straight lines. */
export function readCurve(table: Float32Array, v: number): number {
  const x = clamp(v) * CURVE_STEPS;
  const i = Math.min(Math.floor(x), CURVE_STEPS - 1);
  const [a, b] = [table[i] ?? 0, table[i + 1] ?? 0];
  return a + (b - a) * (x - i);
}

/** Documents do not change: tables of their curves are made once. */
const made = new WeakMap<DrawnCurves, Float32Array[] | null>();

/** Tables of the three channels with the common curve in them; nothing where none is drawn. */
export function curveTables({ curves }: Grade): Float32Array[] | null {
  const known = made.get(curves);
  if (known !== undefined) return known;
  const tables = tablesOf(curves);
  made.set(curves, tables);
  return tables;
}

function tablesOf({ red, green, blue, together }: DrawnCurves): Float32Array[] | null {
  if ([red, green, blue, together].every((points) => points.length === 0)) return null;
  const common = drawnCurve(together);
  return [red, green, blue].map((points) => drawnCurve(points).map((v) => readCurve(common, v)));
}

/** All steps on display values, 0 to 1. */
export function displayGrade(grade: Grade): (c: Rgb) => Rgb {
  const { lift, gain, exponent } = wheelsOf(grade);
  const tables = curveTables(grade);
  return (c) =>
    c.map((value, i) => {
      let v = ranged(grade.ranges, value);
      v = clamp((gain[i] ?? 1) * (v + (lift[i] ?? 0) * (1 - v))) ** (exponent[i] ?? 1);
      const table = tables?.[i];
      return table ? readCurve(table, v) : v;
    }) as Rgb;
}

/** A document's table of colours made ready: red fastest, values from 0 to 1. */
export type LoadedTable = { size: number; values: Float32Array };

/** The table that was read last: documents are copied with each change, their tables seldom change. */
let read: { digits: string; table: LoadedTable } | null = null;

/** The table of a grade, as the core's `develop::LoadedTable`; nothing where it has none. */
export function tableOf({ table: { size, values: digits, strength } }: Grade): LoadedTable | null {
  if (size < 2 || strength === 0 || digits.length !== 12 * size ** 3) return null;
  if (read?.digits !== digits) {
    const values = Float32Array.from({ length: 3 * size ** 3 }, (_, i) =>
      Number.parseInt(digits.slice(4 * i, 4 * i + 4), 16),
    ).map((v) => v / 65535);
    read = { digits, table: { size, values } };
  }
  return read.table;
}

/** What a grade without a table has. */
export const noTable: ColourTable = { name: "", input: "display", strength: 1, size: 0, values: "" };

/** The colour of a table at a place, by straight lines along each axis. */
export function lookUp({ size, values }: LoadedTable, x: Rgb): Rgb {
  const place = x.map((v) => clamp(v) * (size - 1));
  const low = place.map((v) => Math.min(Math.floor(v), size - 2)) as Rgb;
  const t = place.map((v, c) => v - (low[c] ?? 0)) as Rgb;
  return [0, 1, 2].map((c) => {
    let sum = 0;
    for (let corner = 0; corner < 8; corner++) {
      const bit = [corner & 1, (corner >> 1) & 1, corner >> 2] as Rgb;
      const weight = t.reduce((w, v, k) => w * (bit[k] ? v : 1 - v), 1);
      const at = low[0] + bit[0] + size * (low[1] + bit[1] + size * (low[2] + bit[2]));
      sum += weight * (values[3 * at + c] ?? 0);
    }
    return sum;
  }) as Rgb;
}
