import {
  displayDifference,
  lightDifference,
  stepColour,
  stepOf,
  STEPS,
  summary,
} from "../src/data/difference";
import { equal, near, test } from "./check";

/** One pixel of RGB9_E5 with the same mantissa in each channel. */
const word = (mantissa: number, exponent: number) =>
  ((exponent << 27) | (mantissa << 18) | (mantissa << 9) | mantissa) >>> 0;
const picture = (words: number[], exponent = 0) => ({
  width: words.length,
  height: 1,
  exponent,
  words: new Uint32Array(words),
});

test("a difference is told in stops, brighter now is more", () => {
  const was = picture([word(100, 20), word(100, 20), word(100, 20)]);
  const now = picture([word(100, 21), word(100, 20), word(50, 20)]);
  const stops = lightDifference(now, was);
  equal(
    [...(stops ?? [])].map((v) => Math.round(v * 1000) / 1000),
    [1, 0, -1],
  );
  // The power of two of a whole frame counts as well.
  near(lightDifference(picture([word(100, 20)], 3), picture([word(100, 20)]))?.[0] ?? 0, 3, 1e-6);
});

test("pictures of different sizes are not compared, and black is not told", () => {
  equal(lightDifference(picture([1, 1]), picture([1])), null);
  equal([...(lightDifference(picture([0]), picture([0])) ?? [])], [0]);
});

test("display values are compared by their light", () => {
  const bytes = (v: number) => new Uint8ClampedArray([v, v, v, 255]);
  // sRGB of 0.5 is 188, of 0.25 is 137 (IEC 61966-2-1).
  near(displayDifference(bytes(188), bytes(137))[0] ?? 0, 1, 0.02);
});

test("where a photograph shows nothing there is no difference, and none is counted", () => {
  const now = new Uint8ClampedArray([188, 188, 188, 255, 188, 188, 188, 255]);
  const was = new Uint8ClampedArray([0, 0, 0, 0, 188, 188, 188, 255]);
  const stops = displayDifference(now, was);
  equal([Number.isNaN(stops[0]), stops[1]], [true, 0]);
  equal(summary(stops), { mean: 0, most: 0 });
});

test("steps have colours of their own, and the same is grey", () => {
  equal([stepOf(-9), stepOf(0), stepOf(0.3), stepOf(9)], [0, 5, 6, STEPS.length]);
  const same = stepColour(stepOf(0));
  equal(new Set(same).size, 1);
  const all = STEPS.map((_, i) => stepColour(i).join());
  equal(new Set(all).size, STEPS.length);
});

test("a summary has the mean and what nine tenths stay under", () => {
  const { mean, most } = summary(Float32Array.from({ length: 11 }, (_, i) => (i % 2 ? -1 : 1) * i));
  near(mean, 5, 1e-6);
  equal(most, 9);
});
