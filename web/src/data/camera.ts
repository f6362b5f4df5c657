import type { Eye, Frame } from "./sky";

/** Unit vector: x east, y north, z up. The same geometry as the core's camera. */
export type Direction = [number, number, number];

const rad = Math.PI / 180;

export const aspects: Record<Frame, number> = {
  "16:9": 16 / 9,
  "3:2": 1.5,
  "4:3": 4 / 3,
  "1:1": 1,
  "2.39:1": 2.39,
};

/** Half the width of the picture at distance one, for a lens on a frame 36 mm wide. */
export const halfWidth = (eye: Eye) => 18 / eye.lens_mm;

export function toward(azimuth: number, elevation: number): Direction {
  const flat = Math.cos(elevation * rad);
  return [flat * Math.sin(azimuth * rad), flat * Math.cos(azimuth * rad), Math.sin(elevation * rad)];
}

/** Azimuth 0..360 and elevation, degrees. */
export function anglesOf(d: Direction): [number, number] {
  const azimuth = Math.atan2(d[0], d[1]) / rad;
  return [(azimuth + 360) % 360, Math.asin(Math.max(-1, Math.min(1, d[2]))) / rad];
}

/** Direction at a place in the picture, 0..1 from the upper left. */
export function directionAt(eye: Eye, x: number, y: number): Direction {
  const half = halfWidth(eye);
  const right = (2 * x - 1) * half;
  const up = ((1 - 2 * y) * half) / aspects[eye.frame];
  const [h, p] = [eye.heading_deg * rad, eye.pitch_deg * rad];
  const flat = Math.cos(p) - up * Math.sin(p);
  const d: Direction = [
    flat * Math.sin(h) + right * Math.cos(h),
    flat * Math.cos(h) - right * Math.sin(h),
    Math.sin(p) + up * Math.cos(p),
  ];
  const length = Math.hypot(...d);
  return [d[0] / length, d[1] / length, d[2] / length];
}

/** Place in the picture of a direction, and whether it lies ahead. */
export function placeOf(eye: Eye, d: Direction): { x: number; y: number; ahead: boolean } {
  const [h, p] = [eye.heading_deg * rad, eye.pitch_deg * rad];
  const along = d[0] * Math.sin(h) + d[1] * Math.cos(h);
  const right = d[0] * Math.cos(h) - d[1] * Math.sin(h);
  const up = d[2] * Math.cos(p) - along * Math.sin(p);
  const forward = along * Math.cos(p) + d[2] * Math.sin(p);
  const ahead = forward > 1e-3;
  const f = Math.max(Math.abs(forward), 1e-3) * halfWidth(eye);
  return { x: (right / f + 1) / 2, y: (1 - (up / f) * aspects[eye.frame]) / 2, ahead };
}
