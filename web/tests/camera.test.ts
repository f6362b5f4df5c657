import { allNear, equal, near, test } from "./check";
import { eye } from "./samples";
import { discBox } from "../src/bench/preview/disc-box";
import {
  anglesOf,
  aspectOf,
  axesOf,
  directionAt,
  halfWidth,
  lensView,
  panoramaView,
  placeOf,
  toward,
} from "../src/data/camera";

test("azimuths count from north over east", () => {
  allNear(toward(0, 0), [0, 1, 0], 1e-12);
  allNear(toward(90, 0), [1, 0, 0], 1e-12);
  allNear(toward(180, 0), [0, -1, 0], 1e-12);
  allNear(toward(17, 90), [0, 0, 1], 1e-12);
});

test("angles of a direction are those it was made of", () => {
  for (const azimuth of [0, 45, 133, 200, 359])
    for (const elevation of [-60, -3, 0, 12, 80])
      allNear(anglesOf(toward(azimuth, elevation)), [azimuth, elevation], 1e-9);
});

test("a lens of 18 mm sees a right angle on a frame of 36 mm", () => {
  const wide = eye({ lens_mm: 18, heading_deg: 90 });
  near(halfWidth(wide), 1, 1e-12);
  allNear(anglesOf(directionAt(wide, 0, 0.5)), [45, 0], 1e-9);
  allNear(anglesOf(directionAt(wide, 1, 0.5)), [135, 0], 1e-9);
});

test("the middle of the picture lies where the eye looks", () => {
  for (const heading_deg of [0, 77, 290])
    for (const pitch_deg of [-30, 0, 45])
      allNear(
        anglesOf(directionAt(eye({ heading_deg, pitch_deg }), 0.5, 0.5)),
        [heading_deg, pitch_deg],
        1e-9,
      );
});

test("the picture is as high as its frame says", () => {
  for (const frame of ["1:1", "3:2", "2.39:1"] as const) {
    const [, elevation] = anglesOf(directionAt(eye({ frame }), 0.5, 0));
    near(Math.tan((elevation * Math.PI) / 180), 0.5 / aspectOf(eye({ frame })), 1e-9, frame);
  }
});

test("places in the picture and directions are each other's inverse", () => {
  const shifted = { roll_deg: -21, shift_right_mm: 4, shift_up_mm: -7 };
  const tilted = eye({ heading_deg: 212, pitch_deg: 17, lens_mm: 24, frame: "3:2", ...shifted });
  for (const x of [0, 0.3, 0.5, 0.9, 1])
    for (const y of [0, 0.25, 0.5, 1]) {
      const place = placeOf(tilted, directionAt(tilted, x, y));
      allNear([place.x, place.y], [x, y], 1e-9);
      equal(place.ahead, true);
    }
  equal(placeOf(tilted, toward(32, -17)).ahead, false);
});

test("a free frame is as wide as it says", () => {
  near(aspectOf(eye({ frame: "free", free_aspect: 0.8 })), 0.8, 0);
});

test("a camera leaned to the right sees the horizon rise to the right", () => {
  const leaned = eye({ roll_deg: 10, frame: "1:1" });
  const [left, right] = [placeOf(leaned, toward(-5, 0)), placeOf(leaned, toward(5, 0))];
  near((Math.atan2(left.y - right.y, right.x - left.x) * 180) / Math.PI, 10, 1e-9);
});

test("a panorama has the heading in its middle and goes round", () => {
  const view = panoramaView(eye({ heading_deg: 350 }));
  allNear(anglesOf(view.directionAt(0.5, 0.5)), [350, 0], 1e-9);
  allNear(anglesOf(view.directionAt(0.75, 0.25)), [80, 45], 1e-9);
  for (const [azimuth, elevation] of [
    [10, 20],
    [171, -60],
    [349, 0],
  ] as const) {
    const { x, y } = view.placeOf(toward(azimuth, elevation));
    allNear(anglesOf(view.directionAt(x, y)), [azimuth, elevation], 1e-9);
  }
  equal([lensView(eye()).aspect, view.aspect], [16 / 9, 2]);
});

test("the axes of a rolled picture give its directions back", () => {
  const rolled = eye({ heading_deg: 77, pitch_deg: 25, roll_deg: 12 });
  const [right, up, forward] = axesOf(rolled);
  const [across, along] = [0.6 * halfWidth(rolled), (-0.4 * halfWidth(rolled)) / aspectOf(rolled)];
  const raw = ([0, 1, 2] as const).map((i) => across * right[i] + along * up[i] + forward[i]);
  const length = Math.hypot(...raw);
  allNear(
    raw.map((v) => v / length),
    directionAt(rolled, 0.8, 0.7),
    1e-12,
  );
});

test("every pixel of a disc lies in the disc's box", () => {
  const wide = eye({ lens_mm: 14, heading_deg: 30, pitch_deg: 10, roll_deg: 20 });
  const [width, height] = [960, 540];
  for (const [x, y] of [
    [0.5, 0.5],
    [0.02, 0.9],
    [0.97, 0.05],
  ] as const)
    for (const radius of [0.0047, 0.05, 0.3]) {
      const middle = directionAt(wide, x, y);
      const box = discBox(wide, middle, radius, width, height);
      for (let px = 0; px < width; px += 3)
        for (let py = 0; py < height; py += 3) {
          const d = directionAt(wide, (px + 0.5) / width, (py + 0.5) / height);
          const cosine = d[0] * middle[0] + d[1] * middle[1] + d[2] * middle[2];
          if (cosine < Math.cos(radius)) continue;
          const low = height - 1 - py;
          const inside =
            box && px >= box[0] && px < box[0] + box[2] && low >= box[1] && low < box[1] + box[3];
          equal(inside, true);
        }
    }
});

test("a disc behind the lens has no box", () => {
  equal(discBox(eye({ heading_deg: 0 }), toward(180, 0), 0.005, 960, 540), null);
});
