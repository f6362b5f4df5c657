import { allNear, at, equal, near, test } from "./check";
import { eye } from "./samples";
import { lensView, panoramaView } from "../src/data/camera";
import {
  dipOf,
  frameOf,
  GOLDEN,
  guideNames,
  horizon,
  linesOf,
  reciprocals,
} from "../src/bench/preview/guides";

const wide = lensView(eye());

/** EBU R 95, "Safe areas for 16:9 television production" (2017): 93 and 90 % of each side; from memory. */
test("safe areas are those of EBU R 95", () => {
  for (const [name, share, pixels] of [
    ["action", 0.93, [67, 38]],
    ["title", 0.9, [96, 54]],
  ] as const) {
    const corners = at(linesOf(name, wide, 0), 0);
    const [low, high] = [at(corners, 0), at(corners, 2)];
    allNear([high[0] - low[0], high[1] - low[1]], [share, share], 1e-12, name);
    // On 1920 by 1080 pixels.
    allNear([Math.round(1920 * low[0]), Math.round(1080 * low[1])], [...pixels], 0, name);
  }
});

/** Euclid, Elements VI, definition 3: the whole is to the longer part as that is to the shorter. */
test("the golden section is one", () => {
  near(1 / (1 - GOLDEN), (1 - GOLDEN) / GOLDEN, 1e-12);
  near(at(at(linesOf("golden", wide, 0), 0), 0)[0], 0.381966, 1e-6);
});

test("reciprocals meet their diagonals at right angles, inside the frame", () => {
  for (const aspect of [16 / 9, 1, 0.7, 2.39]) {
    const lines = reciprocals(aspect);
    equal(lines.length, 4);
    const slopes = lines.map((line) => {
      const [[x0, y0], [x1, y1]] = [at(line, 0), at(line, 1)];
      for (const v of [x0, y0, x1, y1]) if (v < -1e-9 || v > 1 + 1e-9) throw new Error(`${aspect}: ${v}`);
      return (y1 - y0) / ((x1 - x0) * aspect);
    });
    // The diagonals rise or fall by one over the aspect.
    for (const slope of slopes) near(Math.abs(slope), aspect, 1e-9, `${aspect}`);
  }
});

test("the horizon of a level eye is a level line, and bends from high up", () => {
  const level = at(horizon(wide, 0), 0);
  for (const [, y] of level) near(y, 0.5, 1e-9);
  // From memory: 10 km up the horizon lies 3.2 degrees under the level.
  near(dipOf(10_000, 6_371_000), 3.2, 0.02);
  const high = horizon(wide, 20).flat();
  const [middle, edge] = [
    high.find(([x]) => Math.abs(x - 0.5) < 0.02),
    high.find(([x]) => Math.abs(x) < 0.02),
  ];
  if (!((edge?.[1] ?? 0) > (middle?.[1] ?? 1))) throw new Error("it sinks toward the edges");
  for (const [, y] of horizon(panoramaView(eye()), 9).flat()) near(y, 0.55, 1e-9);
});

test("every guide has lines", () => {
  for (const name of guideNames) if (linesOf(name, wide, 0).length === 0) throw new Error(name);
});

test("the lens's frame stands in the panorama where it looks", () => {
  const lens = lensView(eye({ heading_deg: 90, lens_mm: 18 }));
  const around = panoramaView(eye({ heading_deg: 90 }));
  const points = frameOf(lens, around).flat();
  // A right angle across: an eighth of the way round to each side.
  near(Math.min(...points.map(([x]) => x)), 0.375, 1e-9);
  near(Math.max(...points.map(([x]) => x)), 0.625, 1e-9);
});
