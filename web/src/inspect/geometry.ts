/** Directions (east, north, up) of panoramas, as the core's camera has them. */

export type Direction3 = [number, number, number];
export type Layout = "latlong" | "cube" | "fisheye";

const rad = Math.PI / 180;

/** Where a direction lies in a panorama, 0 to 1 from the upper left; null where it shows nothing. */
export function placeIn(layout: Layout, d: Direction3, headingDeg: number): [number, number] | null {
  const heading = headingDeg * rad;
  if (layout === "latlong") {
    const u = (Math.atan2(d[0], d[1]) - heading) / (2 * Math.PI) + 0.5;
    return [u - Math.floor(u), 0.5 - Math.asin(Math.max(-1, Math.min(1, d[2]))) / Math.PI];
  }
  if (layout === "fisheye") {
    if (d[2] < 0) return null;
    const r = 1 - Math.asin(Math.min(1, d[2])) / (0.5 * Math.PI);
    const turn = Math.atan2(d[0], d[1]) - heading;
    return [(1 - r * Math.sin(turn)) / 2, (1 - r * Math.cos(turn)) / 2];
  }
  // x to the left of the heading, y up, z toward it; faces one below the other.
  const [s, c] = [Math.sin(heading), Math.cos(heading)];
  const v: Direction3 = [-(d[0] * c - d[1] * s), d[2], d[0] * s + d[1] * c];
  const size = v.map(Math.abs) as Direction3;
  const axis = size[0] >= size[1] && size[0] >= size[2] ? 0 : size[1] >= size[2] ? 1 : 2;
  const face = 2 * axis + ((v[axis] ?? 0) < 0 ? 1 : 0);
  const [x, y, z] = v.map((k) => k / (size[axis] || 1)) as Direction3;
  // As OpenEXR's ENVMAP_CUBE, seen from inside.
  const at: [number, number] = (
    [
      [z, -y],
      [-z, -y],
      [x, -z],
      [x, z],
      [-x, -y],
      [x, -y],
    ] as [number, number][]
  )[face] ?? [0, 0];
  return [(at[0] + 1) / 2, (face + (at[1] + 1) / 2) / 6];
}

/** Unit vector at an azimuth and elevation, degrees. */
export const towardDeg = (azimuth: number, elevation: number): Direction3 => [
  Math.cos(elevation * rad) * Math.sin(azimuth * rad),
  Math.cos(elevation * rad) * Math.cos(azimuth * rad),
  Math.sin(elevation * rad),
];

/** Azimuth and elevation of a unit vector, degrees. */
export const anglesDeg = ([x, y, z]: Direction3): [number, number] => [
  (((Math.atan2(x, y) / rad) % 360) + 360) % 360,
  Math.asin(Math.max(-1, Math.min(1, z))) / rad,
];

/** The direction at a place of a flat view: x right, y up, in half widths of the view. */
export function viewDirection(
  look: { azimuth: number; elevation: number; halfWidth: number },
  x: number,
  y: number,
): Direction3 {
  const [sa, ca] = [Math.sin(look.azimuth * rad), Math.cos(look.azimuth * rad)];
  const [se, ce] = [Math.sin(look.elevation * rad), Math.cos(look.elevation * rad)];
  const [right, up] = [x * look.halfWidth, y * look.halfWidth];
  const flat = ce - up * se;
  const d: Direction3 = [flat * sa + right * ca, flat * ca - right * sa, se + up * ce];
  const length = Math.hypot(...d);
  return d.map((v) => v / length) as Direction3;
}

/** Real spherical harmonics up to the second order (Ramamoorthi and Hanrahan 2001, eq. 3) in map axes. */
function harmonics(d: Direction3): number[] {
  const [x, y, z] = [-d[0], d[2], d[1]];
  return [
    0.282095,
    0.488603 * y,
    0.488603 * z,
    0.488603 * x,
    1.092548 * x * y,
    1.092548 * y * z,
    0.315392 * (3 * z * z - 1),
    1.092548 * x * z,
    0.546274 * (x * x - y * y),
  ];
}

/** Factors of the clamped cosine by order: pi, 2 pi / 3, pi / 4 (the same, eq. 8). */
const cosineFactor = (i: number) => (i === 0 ? Math.PI : i < 4 ? (2 * Math.PI) / 3 : Math.PI / 4);

/** Harmonics of irradiance without lights: their directions, and what they shed on a surface facing them. */
export function withoutLights(
  sh: [number, number, number][],
  lights: { toward: Direction3; rgb: number[] }[],
): [number, number, number][] {
  return sh.map((coefficients, i) => {
    const left: [number, number, number] = [...coefficients];
    for (const { toward, rgb } of lights) {
      const of = cosineFactor(i) * (harmonics(toward)[i] ?? 0);
      for (let c = 0; c < 3; c++) left[c] = (left[c] ?? 0) - of * (rgb[c] ?? 0);
    }
    return left;
  });
}

/** Irradiance of a surface that faces a direction, from nine harmonics. */
export function irradianceAt(sh: [number, number, number][], d: Direction3): Direction3 {
  const basis = harmonics(d);
  return [0, 1, 2].map((c) =>
    Math.max(
      0,
      basis.reduce((sum, b, i) => sum + b * (sh[i]?.[c] ?? 0), 0),
    ),
  ) as Direction3;
}
