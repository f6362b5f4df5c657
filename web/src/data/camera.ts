import type { Eye, Frame } from "./sky";

/** Unit vector: x east, y north, z up. The same geometry as the core's camera. */
export type Direction = [number, number, number];

const rad = Math.PI / 180;

const aspects: Record<Exclude<Frame, "free">, number> = {
  "16:9": 16 / 9,
  "3:2": 1.5,
  "4:3": 4 / 3,
  "1:1": 1,
  "2.39:1": 2.39,
};

/** Width of the picture divided by its height. */
export const aspectOf = (eye: Eye) => (eye.frame === "free" ? eye.free_aspect : aspects[eye.frame]);

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

const unit = (d: Direction): Direction => {
  const length = Math.hypot(...d);
  return [d[0] / length, d[1] / length, d[2] / length];
};

/** Direction at a place in the picture, 0..1 from the upper left. */
export function directionAt(eye: Eye, x: number, y: number): Direction {
  const half = halfWidth(eye);
  const across = (2 * x - 1) * half + eye.shift_right_mm / eye.lens_mm;
  const along = ((1 - 2 * y) * half) / aspectOf(eye) + eye.shift_up_mm / eye.lens_mm;
  const [h, p, r] = [eye.heading_deg * rad, eye.pitch_deg * rad, eye.roll_deg * rad];
  const right = across * Math.cos(r) + along * Math.sin(r);
  const up = along * Math.cos(r) - across * Math.sin(r);
  const flat = Math.cos(p) - up * Math.sin(p);
  return unit([
    flat * Math.sin(h) + right * Math.cos(h),
    flat * Math.cos(h) - right * Math.sin(h),
    Math.sin(p) + up * Math.cos(p),
  ]);
}

/** A direction's parts to the right, up and forward of the lens. */
export function inView(eye: Eye, d: Direction): Direction {
  const [h, p, r] = [eye.heading_deg * rad, eye.pitch_deg * rad, eye.roll_deg * rad];
  const along = d[0] * Math.sin(h) + d[1] * Math.cos(h);
  const level = d[0] * Math.cos(h) - d[1] * Math.sin(h);
  const upright = d[2] * Math.cos(p) - along * Math.sin(p);
  return [
    level * Math.cos(r) - upright * Math.sin(r),
    level * Math.sin(r) + upright * Math.cos(r),
    along * Math.cos(p) + d[2] * Math.sin(p),
  ];
}

/** The picture's axes to the right, up and forward, as directions. */
export function axesOf(eye: Eye): [Direction, Direction, Direction] {
  const [east, north, up] = [inView(eye, [1, 0, 0]), inView(eye, [0, 1, 0]), inView(eye, [0, 0, 1])];
  const axis = (i: 0 | 1 | 2): Direction => [east[i], north[i], up[i]];
  return [axis(0), axis(1), axis(2)];
}

/** A place in the picture, and whether it lies ahead. */
export type Seen = { x: number; y: number; ahead: boolean };

/** Place in the picture of a direction. */
export function placeOf(eye: Eye, d: Direction): Seen {
  const [right, up, forward] = inView(eye, d);
  const ahead = forward > 1e-3;
  const f = Math.max(Math.abs(forward), 1e-3);
  const x = (right / f - eye.shift_right_mm / eye.lens_mm) / halfWidth(eye);
  const y = ((up / f - eye.shift_up_mm / eye.lens_mm) / halfWidth(eye)) * aspectOf(eye);
  return { x: (x + 1) / 2, y: (1 - y) / 2, ahead };
}

/** How directions become places of the Picture. */
export type View = {
  aspect: number;
  directionAt: (x: number, y: number) => Direction;
  placeOf: (d: Direction) => Seen;
  /** Angle across the width of the middle, degrees: what a hand that drags by it turns. */
  across: number;
};

/** What the eye's lens shows. */
export const lensView = (eye: Eye): View => ({
  aspect: aspectOf(eye),
  directionAt: (x, y) => directionAt(eye, x, y),
  placeOf: (d) => placeOf(eye, d),
  across: (2 * halfWidth(eye)) / rad,
});

/** The whole sphere, with the eye's heading in the middle. */
export const panoramaView = (eye: Eye): View => ({
  aspect: 2,
  directionAt: (x, y) => toward(eye.heading_deg + (x - 0.5) * 360, (0.5 - y) * 180),
  placeOf: (d) => {
    const [azimuth, elevation] = anglesOf(d);
    const x = ((((azimuth - eye.heading_deg) / 360 + 0.5) % 1) + 1) % 1;
    return { x, y: 0.5 - elevation / 180, ahead: true };
  },
  across: 360,
});
