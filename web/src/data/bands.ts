/** Bands of stops from grey that false colour tells apart. */

import { GREY } from "./develop";

/** Stops from grey (18 % of white) that false colour tells apart, from the darkest. */
export const STOPS = [-6, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6, 8] as const;

/** Colour of a band of stops: dark to light, through hues, so that neighbours differ. */
export function bandColour(i: number): [number, number, number] {
  const t = i / (STOPS.length - 1);
  const hue = 2 * Math.PI * (0.72 - 0.72 * t);
  const light = 0.18 + 0.72 * t;
  const of = (shift: number) => Math.max(0, Math.min(1, light + 0.28 * Math.cos(hue - shift)));
  return [of(0), of(2.1), of(4.2)].map((v) => Math.round(255 * v)) as [number, number, number];
}

/** Colour of each band, 0 to 255. */
export const bandColours = STOPS.map((_, i) => bandColour(i));
/** The place of a luminance among the bands. */
export function bandOf(value: number, white: number): number {
  const stops = Math.log2(Math.max(value, 1e-30) / (GREY * white));
  let band = 0;
  while (band + 1 < STOPS.length && stops >= (STOPS[band + 1] ?? Infinity)) band++;
  return band;
}
