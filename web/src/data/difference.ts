/** What lies between two pictures of one size, in stops. */

import { decodeSrgb, luminance, unpack } from "./develop";

/** Packed light of a picture, before its own power of two. */
export type Packed = { width: number; height: number; exponent: number; words: Uint32Array };

/** Luminances under which a difference is not told, as a share of the brighter picture's mean. */
const DARK = 1e-4;

/** Stops by which each pixel is brighter now than it was; nothing where both are black. */
function stopsBetween(now: Float64Array, was: Float64Array): Float32Array {
  const mean = (of: Float64Array) => of.reduce((sum, v) => sum + v, 0) / Math.max(1, of.length);
  const floor = Math.max(mean(now), mean(was)) * DARK || 1e-30;
  return Float32Array.from(now, (v, i) => Math.log2(Math.max(v, floor) / Math.max(was[i] ?? 0, floor)));
}

/** Between two pictures of scene light, without discs of lights. */
export function lightDifference(now: Packed, was: Packed): Float32Array | null {
  if (now.width !== was.width || now.height !== was.height) return null;
  const light = ({ words, exponent }: Packed) =>
    Float64Array.from(words, (word) => luminance(unpack(word)) * 2 ** exponent);
  return stopsBetween(light(now), light(was));
}

/**
 * Between display values, RGBA from 0 to 255: of pictures that have no scene light. Where the second shows
 * nothing there is no difference: not a number.
 */
export function displayDifference(now: Uint8ClampedArray, was: Uint8ClampedArray): Float32Array {
  const light = (bytes: Uint8ClampedArray) =>
    Float64Array.from({ length: bytes.length / 4 }, (_, i) =>
      luminance([0, 1, 2].map((c) => decodeSrgb((bytes[4 * i + c] ?? 0) / 255))),
    );
  return stopsBetween(light(now), light(was)).map((v, i) => (was[4 * i + 3] === 0 ? NaN : v));
}

/** Where colours of a difference change, stops. */
export const STEPS = [-3, -2, -1, -0.5, -0.1, 0.1, 0.5, 1, 2, 3] as const;

/** Colour of a band between steps: brown where it was brighter, teal where it is now, grey for the same. */
export function stepColour(band: number): [number, number, number] {
  const middle = STEPS.length / 2;
  const t = Math.min(1, Math.abs(band - middle) / middle);
  const [r, g, b] = band < middle ? [176, 112, 48] : [40, 160, 150];
  const mix = (v: number) => Math.round(128 + (v - 128) * t + (t > 0.5 ? 60 * (t - 0.5) : 0));
  return [mix(r), mix(g), mix(b)];
}

export const stepOf = (stops: number) => {
  const next = STEPS.findIndex((s) => stops < s);
  return next === -1 ? STEPS.length : next;
};

/** How far two pictures lie apart: the mean of all, and what nine tenths of them stay under, stops. */
export function summary(stops: Float32Array): { mean: number; most: number } {
  const sizes = stops
    .filter((v) => !Number.isNaN(v))
    .map(Math.abs)
    .sort();
  const mean = sizes.reduce((sum, v) => sum + v, 0) / Math.max(1, sizes.length);
  return { mean, most: sizes[Math.floor(0.9 * (sizes.length - 1))] ?? 0 };
}
