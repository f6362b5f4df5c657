import { t } from "../../text";
/** Lines of composition over the Picture, in shares of its frame from the upper left. */

import { toward, type View } from "../../data/camera";
import type { Sky } from "../../data/sky";

export type Line = [number, number][];

export const guideNames = [
  "thirds",
  "golden",
  "diagonals",
  "reciprocals",
  "centre",
  "horizon",
  "action",
  "title",
] as const;
export type GuideName = (typeof guideNames)[number];

export const guideTitles: Record<GuideName, string> = {
  thirds: t("Thirds"),
  golden: t("Golden section"),
  diagonals: t("Diagonals"),
  reciprocals: t("Reciprocals of the diagonals"),
  centre: t("Centre"),
  horizon: t("Horizon"),
  action: t("Action safe area"),
  title: t("Title safe area"),
};

/** Margins of the safe areas on each side (EBU R 95, 2017: 93 and 90 % of width and height; from memory). */
export const SAFE_MARGIN = { action: 0.035, title: 0.05 } as const;

/** The shorter part of a length in the golden section. */
export const GOLDEN = (3 - Math.sqrt(5)) / 2;

const across = (shares: number[]): Line[] =>
  shares.flatMap((v): Line[] => [
    [
      [v, 0],
      [v, 1],
    ],
    [
      [0, v],
      [1, v],
    ],
  ]);

const box = (m: number): Line[] => [
  [
    [m, m],
    [1 - m, m],
    [1 - m, 1 - m],
    [m, 1 - m],
    [m, m],
  ],
];

const diagonals: Line[] = [
  [
    [0, 0],
    [1, 1],
  ],
  [
    [0, 1],
    [1, 0],
  ],
];

/** From each corner the line that meets a diagonal at a right angle, as far as the frame goes. */
export function reciprocals(aspect: number): Line[] {
  const wide = 1 / aspect ** 2;
  const high = aspect ** 2;
  const foot = (fromRight: boolean, fromTop: boolean): Line => {
    const [x, y] = [fromRight ? 1 : 0, fromTop ? 0 : 1];
    // On a wide frame it ends on the other long side, on a high one on the other upright side.
    return wide <= 1
      ? [
          [x, y],
          [fromRight ? 1 - wide : wide, 1 - y],
        ]
      : [
          [x, y],
          [1 - x, fromTop ? high : 1 - high],
        ];
  };
  return [foot(false, true), foot(true, true), foot(false, false), foot(true, false)];
}

/** How far the horizon lies under the level for an eye above a planet, degrees; air does not bend it here. */
export const dipOf = (altitude: number, radius: number) =>
  (Math.acos(radius / (radius + Math.max(altitude, 0))) * 180) / Math.PI;

/** The same for the eye of a sky. */
export const dipUnder = ({ eye, air }: Sky) => dipOf(eye.altitude_m, air.planet_radius_km * 1000);

/** How a guide's line is drawn: a light one on a dark one, so that both skies and land show it. */
export const strokes = [
  { colour: "#000", opacity: 0.45, wider: 1.5 },
  { colour: "#fff", opacity: 0.85, wider: 0 },
] as const;

/** Where the planet ends, in the view; broken where it is not seen. */
export function horizon(view: View, dip: number): Line[] {
  const lines: Line[] = [];
  let line: Line = [];
  for (let azimuth = 0; azimuth <= 360; azimuth += 0.5) {
    const { x, y, ahead } = view.placeOf(toward(azimuth, -dip));
    const last = line.at(-1);
    const seen = ahead && x > -0.5 && x < 1.5;
    if (seen && (!last || Math.abs(last[0] - x) < 0.5)) line.push([x, y]);
    else {
      if (line.length > 1) lines.push(line);
      line = seen ? [[x, y]] : [];
    }
  }
  if (line.length > 1) lines.push(line);
  return lines;
}

/** The frame of another view, in this one. */
export function frameOf(inner: View, view: View): Line[] {
  const STEPS = 40;
  const corners: Line = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
  ];
  const edge: Line = corners.flatMap(([x0, y0], i): Line => {
    const [x1, y1] = corners[(i + 1) % 4] ?? [0, 0];
    return Array.from({ length: STEPS }, (_, k) => [
      x0 + ((x1 - x0) * k) / STEPS,
      y0 + ((y1 - y0) * k) / STEPS,
    ]);
  });
  const lines: Line[] = [[]];
  for (const [x, y] of [...edge, [0, 0] as [number, number]]) {
    const seen = view.placeOf(inner.directionAt(x, y));
    const last = lines.at(-1)?.at(-1);
    if (last && Math.abs(last[0] - seen.x) > 0.5) lines.push([]);
    lines.at(-1)?.push([seen.x, seen.y]);
  }
  return lines;
}

/** The lines of one guide. */
export function linesOf(name: GuideName, view: View, dip: number): Line[] {
  switch (name) {
    case "thirds":
      return across([1 / 3, 2 / 3]);
    case "golden":
      return across([GOLDEN, 1 - GOLDEN]);
    case "diagonals":
      return diagonals;
    case "reciprocals":
      return reciprocals(view.aspect);
    case "centre":
      return across([0.5]);
    case "horizon":
      return horizon(view, dip);
    case "action":
      return box(SAFE_MARGIN.action);
    case "title":
      return box(SAFE_MARGIN.title);
  }
}
