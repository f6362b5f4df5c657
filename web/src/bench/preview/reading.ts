/** What stands at a place of the Picture, in numbers. */

import type { View } from "../../data/camera";
import { displayed, GREY, luminance, unpack } from "../../data/develop";
import type { Grade } from "../../data/sky";
import type { Reading } from "../store/looking";
import type { Rgb } from "../store/view";
import type { PreviewFrame } from "./preview-socket";

type Packed = Pick<PreviewFrame, "width" | "height" | "exponent" | "words">;

/** Linear light of the picture at a place, 0..1 from the upper left; without discs of lights. */
export function lightAt(frame: Packed, x: number, y: number): Rgb {
  const column = Math.max(0, Math.min(frame.width - 1, Math.floor(x * frame.width)));
  const row = Math.max(0, Math.min(frame.height - 1, Math.floor(y * frame.height)));
  return unpack(frame.words[row * frame.width + column] ?? 0).map((v) => v * 2 ** frame.exponent) as Rgb;
}

export function readAt(frame: Packed, view: View, grade: Grade, x: number, y: number): Reading {
  const light = lightAt(frame, x, y);
  const shown = luminance(light);
  return {
    direction: view.directionAt(x, y),
    luminance: shown,
    display: displayed(grade)(light).map((v) => Math.round(255 * v)) as Rgb,
    stops: Math.log2(Math.max(shown, 1e-30) / (GREY * 1.2 * 2 ** grade.ev100)),
  };
}

/** Display values that are counted: 0 to 255. */
export const LEVELS = 256;
/** Columns of a waveform. */
export const COLUMNS = 128;

export type Levels = {
  /** Counts of display values: red, green, blue and luminance. */
  histogram: [Uint32Array, Uint32Array, Uint32Array, Uint32Array];
  /** For each column of the picture, counts of its luminance by display value. */
  waveform: Uint32Array[];
  /** Share of pixels with a channel past display white before the grade, as the light meter has it. */
  past: number;
  /** Shares of pixels with a channel at white, and with all of them black. */
  white: number;
  black: number;
};

/** Pixels that are counted, about. */
const COUNTED = 30_000;

/** How display values of a picture are spread. */
export function levelsOf(frame: Packed, grade: Grade): Levels {
  const show = displayed(grade);
  const counts = () => new Uint32Array(LEVELS);
  const out: Levels = {
    histogram: [counts(), counts(), counts(), counts()],
    waveform: Array.from({ length: COLUMNS }, counts),
    past: 0,
    white: 0,
    black: 0,
  };
  const step = Math.max(1, Math.floor(Math.sqrt((frame.width * frame.height) / COUNTED)));
  const past = 1.2 * 2 ** grade.ev100;
  let count = 0;
  for (let row = 0; row < frame.height; row += step)
    for (let column = 0; column < frame.width; column += step) {
      const light = unpack(frame.words[row * frame.width + column] ?? 0).map((v) => v * 2 ** frame.exponent);
      const shown = show(light as Rgb).map((v) => Math.round(255 * v));
      const y = Math.round(luminance(shown));
      [...shown, y].forEach((v, i) => {
        const list = out.histogram[i];
        if (list) list[v] = (list[v] ?? 0) + 1;
      });
      const wave = out.waveform[Math.floor((column / frame.width) * COLUMNS)];
      if (wave) wave[y] = (wave[y] ?? 0) + 1;
      if (Math.max(...light) > past) out.past += 1;
      if (Math.max(...shown) >= 254) out.white += 1;
      if (Math.max(...shown) < 1) out.black += 1;
      count += 1;
    }
  out.past /= Math.max(1, count);
  out.white /= Math.max(1, count);
  out.black /= Math.max(1, count);
  return out;
}
