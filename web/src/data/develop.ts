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

/** What the shader multiplies with, row by row, and the number of its curve; as the core's `develop` has it. */
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
