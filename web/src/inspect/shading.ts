/** From values of a file to bytes of a screen. */

import { bandColours, bandOf } from "../data/bands";
import { encodeSrgb } from "../data/develop";
import type { Pixels } from "./source";

/** How values are shown. */
export type Shown = {
  /** Value that becomes display white. */
  white: number;
  falseColour: boolean;
};

const SIZE = 4096;
/** The curve of sRGB for 0 to 1. */
const curve = Uint8ClampedArray.from({ length: SIZE + 1 }, (_, i) => Math.round(255 * encodeSrgb(i / SIZE)));

/** Puts a colour into bytes at a place. */
export function put(bytes: Uint8ClampedArray, at: number, rgb: ArrayLike<number>, shown: Shown) {
  const [r, g, b] = [rgb[0] ?? 0, rgb[1] ?? 0, rgb[2] ?? 0];
  if (shown.falseColour) {
    const colour = bandColours[bandOf(0.2126 * r + 0.7152 * g + 0.0722 * b, shown.white)] ?? [0, 0, 0];
    bytes[at] = colour[0];
    bytes[at + 1] = colour[1];
    bytes[at + 2] = colour[2];
  } else {
    const scale = SIZE / shown.white;
    bytes[at] = curve[Math.max(0, Math.min(SIZE, r * scale)) | 0] ?? 0;
    bytes[at + 1] = curve[Math.max(0, Math.min(SIZE, g * scale)) | 0] ?? 0;
    bytes[at + 2] = curve[Math.max(0, Math.min(SIZE, b * scale)) | 0] ?? 0;
  }
  bytes[at + 3] = 255;
}

/** Light between pixels at a place of a panorama: wrapped around latlong maps, within the face of a cube. */
export function between(
  { width, height, values }: Pixels,
  layout: "latlong" | "cube" | "fisheye",
  u: number,
  v: number,
  out: Float32Array,
) {
  const [x, y] = [u * width - 0.5, v * height - 0.5];
  const [x0, y0] = [Math.floor(x), Math.floor(y)];
  const [fx, fy] = [x - x0, y - y0];
  const face = layout === "cube" ? Math.floor(v * 6) * width : 0;
  const [low, high] = layout === "cube" ? [face, face + width - 1] : [0, height - 1];
  out.fill(0);
  for (let k = 0; k < 4; k++) {
    const weight = (k % 2 ? fx : 1 - fx) * (k > 1 ? fy : 1 - fy);
    let column = x0 + (k % 2);
    if (layout === "latlong") column = (column + width) % width;
    else column = Math.max(0, Math.min(width - 1, column));
    const row = Math.max(low, Math.min(high, y0 + (k > 1 ? 1 : 0)));
    const i = 4 * (row * width + column);
    for (let c = 0; c < 3; c++) out[c] = (out[c] ?? 0) + weight * (values[i + c] ?? 0);
  }
}

/** Index of the pixel at a place, 0 to 1 from the upper left. */
export const indexAt = ({ width, height }: Pixels, u: number, v: number) =>
  4 *
  (Math.max(0, Math.min(height - 1, Math.floor(v * height))) * width +
    Math.max(0, Math.min(width - 1, Math.floor(u * width))));
