import { allNear, at, equal, near, test } from "./check";
import { grade, wheel } from "./samples";
import { displayed } from "../src/data/develop";
import {
  curveTables,
  displayGrade,
  drawnCurve,
  lookUp,
  ranged,
  readCurve,
  tableOf,
  wheelsOf,
} from "../src/data/grade";
import { COLUMNS, levelsOf, lightAt, readAt } from "../src/bench/preview/reading";
import { balanceOf, markOf } from "../src/bench/sheet/rows/wheel";
import { lensView } from "../src/data/camera";
import { eye } from "./samples";

test("a usual grade leaves display values as they are", () => {
  const usual = displayGrade(grade());
  for (const v of [0, 0.2, 0.9, 1]) allNear(usual([v, v, v]), [v, v, v], 1e-12);
  equal(curveTables(grade()), null);
});

test("lift leaves white, gain leaves black, gamma leaves both", () => {
  const show = (of: Partial<ReturnType<typeof grade>>) => displayGrade(grade(of));
  allNear(show({ lift: wheel({ all: 0.2, red: 0.1 }) })([0, 0, 0]), [0.15, 0.1, 0.1], 1e-9);
  allNear(show({ lift: wheel({ all: 0.2 }) })([1, 1, 1]), [1, 1, 1], 1e-9);
  allNear(show({ gain: wheel({ all: -1 }) })([0.6, 0, 1]), [0.3, 0, 0.5], 1e-9);
  allNear(show({ gamma: wheel({ all: 1 }) })([0.25, 0, 1]), [0.5, 0, 1], 1e-9);
  allNear(wheelsOf(grade({ gain: wheel({ blue: 1 }) })).gain, [1, 1, 2], 1e-12);
});

test("ranges move their own part and keep order", () => {
  const lifted = { shadows: 0.4, midtones: 0, lights: 0, shadows_end: 0.4, lights_begin: 0.6 };
  if (!(ranged(lifted, 0.1) > 0.1)) throw new Error("shadows rise");
  near(ranged(lifted, 0.5), 0.5, 1e-12);
  let before = -1;
  for (let v = 0; v <= 1; v += 0.002) {
    const shown = ranged({ ...lifted, midtones: -0.4, lights: 0.4 }, v);
    if (shown < before) throw new Error(`${v}`);
    before = shown;
  }
});

test("drawn curves pass their points, overshoot none, and are straight where nothing is drawn", () => {
  const points = [
    { from: 0.3, to: 0.03 },
    { from: 0.5, to: 0.9 },
    { from: 0.8, to: 0.93 },
  ];
  const table = drawnCurve(points);
  for (const { from, to } of points) near(readCurve(table, from), to, 2e-3);
  table.forEach((v, i) => {
    if (i > 0 && v < at([...table], i - 1) - 1e-7) throw new Error(`falls at ${i}`);
  });
  near(readCurve(drawnCurve([]), 0.37), 0.37, 1e-6);
});

test("contrast turns about its pivot, and no saturation is grey", () => {
  const white = 1.2 * 2 ** 14;
  const grey = 0.18 * white;
  const plain = displayed(grade());
  const hard = displayed(grade({ contrast: 1.5 }));
  allNear(hard([grey, grey, grey]), plain([grey, grey, grey]), 1e-6);
  const dim = grey / 4;
  if (!(at(hard([dim, dim, dim]), 0) < at(plain([dim, dim, dim]), 0))) throw new Error("darker below");
  const [r, g, b] = displayed(grade({ saturation: 0 }))([grey, 0.5 * grey, 0.2 * grey]);
  near(r, g, 1e-9);
  near(g, b, 1e-9);
});

test("a wheel's mark and its channels say the same", () => {
  for (const mark of [
    [0, 0],
    [0.3, -0.5],
    [-0.9, 0.1],
  ] as [number, number][]) {
    const said = balanceOf(mark);
    near(said.red + said.green + said.blue, 0, 2e-3);
    allNear(markOf({ all: 0, ...said }), mark, 5e-3);
  }
  if (!(balanceOf([0, 1]).red > 0)) throw new Error("red lies at the top");
});

/** A picture of two pixels: grey of the exposure, and far past white. */
const packed = (): Parameters<typeof lightAt>[0] => {
  const word = (v: number, e: number) => ((e << 27) | (v << 18) | (v << 9) | v) >>> 0;
  return { width: 2, height: 1, exponent: 0, words: new Uint32Array([word(256, 24 - 8), word(511, 31)]) };
};

test("readings tell stops from grey", () => {
  const shown = readAt(packed(), lensView(eye()), grade({ ev100: Math.log2(1 / (0.18 * 1.2)) }), 0.1, 0.5);
  near(shown.luminance, 1, 1e-3);
  near(shown.stops, 0, 2e-3);
  allNear(shown.display, [118, 118, 118], 0);
});

test("levels count what is at white", () => {
  const { histogram, waveform, past, white, black } = levelsOf(packed(), grade({ ev100: 2 }));
  equal([past, white, black], [0.5, 0.5, 0]);
  equal(histogram[3][255], 1);
  equal(waveform.length, COLUMNS);
  equal(at([...at(waveform, COLUMNS / 2)], 255), 1);
});

test("a table is looked up between its values", () => {
  // Two values a side: red out is blue in.
  const corner = (i: number) => (i >= 4 ? "ffff" : "0000") + "0000" + "8000";
  const digits = Array.from({ length: 8 }, (_, i) => corner(i)).join("");
  const own = grade();
  own.table = { ...own.table, size: 2, values: digits };
  const table = tableOf(own);
  if (!table) throw new Error("there is a table");
  allNear(lookUp(table, [0.9, 0.1, 0.25]), [0.25, 0, 0x8000 / 65535], 1e-6);
  equal(tableOf(own) === table, true, "it is read once");
  equal(tableOf({ ...own, table: { ...own.table, strength: 0 } }), null);
  equal(tableOf(grade()), null);
});
