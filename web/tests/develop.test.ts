import { allNear, at, equal, near, test } from "./check";
import { grade } from "./samples";
import { decodeSrgb, developer, development, encodeSrgb, exposureAt, unpack } from "../src/data/develop";
import {
  blackbodyUv,
  bradford,
  bradfordInverse,
  miredFrom,
  miredStep,
  rgbToXyz,
  xyzToRgb,
} from "../src/data/white-points";

const product = (a: number[][], b: number[][]) =>
  a.map((row) => at(b, 0).map((_, k) => row.reduce((sum, v, i) => sum + v * at(at(b, i), k), 0)));

test("matrices and their inverses make one", () => {
  const one = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  allNear(product(bradford, bradfordInverse).flat(), one, 1e-6);
  allNear(product(rgbToXyz, xyzToRgb).flat(), one, 1e-6);
});

/** Rec. ITU-R BT.709: white is D65, x 0.3127, y 0.3290. */
test("white of the primaries is D65", () => {
  const white = rgbToXyz.map((row) => row.reduce((sum, v) => sum + v, 0));
  const sum = at(white, 0) + at(white, 1) + at(white, 2);
  allNear([at(white, 0) / sum, at(white, 1) / sum], [0.3127, 0.329], 1e-4);
});

/** Planckian loci of Wyszecki and Stiles 1982, table 1(3.11): 2856 K is illuminant A, u 0.2560, v 0.3495. */
test("blackbodies stand on the locus", () => {
  const x = (1e6 / 2856 - miredFrom) / miredStep;
  const [a, b] = [at(blackbodyUv, Math.floor(x)), at(blackbodyUv, Math.floor(x) + 1)];
  const between = [0, 1].map((k) => at(a, k) + (at(b, k) - at(a, k)) * (x % 1));
  allNear(between, [0.256, 0.3495], 2e-4);
});

/** IEC 61966-2-1: linear 0.18 is 0.4614 encoded, the straight part ends at 0.0031308. */
test("the transfer curve is sRGB's", () => {
  near(encodeSrgb(0.18), 0.4614, 1e-4);
  near(encodeSrgb(0.0031308), 0.04045, 1e-5);
  equal([encodeSrgb(-1), encodeSrgb(0)], [0, 0]);
  near(encodeSrgb(4), 1, 1e-12);
  for (const v of [0, 0.001, 0.02, 0.18, 0.5, 1]) near(decodeSrgb(encodeSrgb(v)), v, 1e-6);
});

/** Exposure by EV100: a saturated pixel has 1.2 * 2^EV cd/m2 (ISO 12232, with q 0.65). */
test("white is what the exposure says", () => {
  for (const ev100 of [0, 12, 15]) {
    const show = developer(grade({ ev100 }));
    const white = 1.2 * 2 ** ev100;
    equal(show([white, white, white]), [255, 255, 255], `${ev100}`);
    const grey = 0.18 * white;
    equal(show([grey, grey, grey]), [118, 118, 118], `${ev100}`);
  }
});

test("6500 K leaves colours as they are, a warmer white makes them bluer", () => {
  const { matrix } = development(grade({ ev100: 0 }));
  allNear(
    matrix.map((v) => v * 1.2),
    [1, 0, 0, 0, 1, 0, 0, 0, 1],
    1e-5,
  );
  const [r, , b] = developer(grade({ ev100: 0, white_k: 3200 }))([0.5, 0.5, 0.5]);
  if (!((b ?? 0) > (r ?? 0) + 20)) throw new Error(`${r} ${b}`);
});

test("curves keep black, and none goes over white", () => {
  for (const tone_curve of ["clip", "filmic", "aces"] as const) {
    const show = developer(grade({ ev100: 0, tone_curve }));
    equal(show([0, 0, 0]), [0, 0, 0], tone_curve);
    let before = 0;
    for (let light = 0.01; light < 1e4; light *= 2) {
      const shown = at(show([light, light, light]), 1);
      if (shown < before || shown > 255) throw new Error(`${tone_curve} ${light}: ${shown} after ${before}`);
      before = shown;
    }
  }
});

test("exposures go straight between the sun's heights they are given for", () => {
  const exposures = [
    { sun_elevation_deg: 20, ev100: 14 },
    { sun_elevation_deg: -6, ev100: 4 },
    { sun_elevation_deg: 0, ev100: 10 },
  ];
  const given = grade({ ev100: 1, exposures });
  const told = [-20, -6, -3, 0, 10, 20, 50].map((h) => exposureAt(given, h));
  allNear(told, [4, 4, 7, 10, 12, 14, 14], 1e-12);
  equal(exposureAt(grade({ ev100: 11 }), 5), 11);
});

/** EXT_texture_shared_exponent: 9 bits a channel, red lowest, 5 bits of exponent with a bias of 15. */
test("words of shared exponents are unpacked", () => {
  const word = (r: number, g: number, b: number, e: number) => ((e << 27) | (b << 18) | (g << 9) | r) >>> 0;
  equal(unpack(word(511, 256, 0, 24)), [511, 256, 0]);
  equal(unpack(word(1, 2, 4, 15)), [1 / 512, 2 / 512, 4 / 512]);
  equal(unpack(word(511, 511, 511, 31)), [65408, 65408, 65408]);
  equal(unpack(0), [0, 0, 0]);
});
