import { t } from "../../../text";
import type { CloudLayer, CoverRegion, Sky } from "../../../data/sky";
import type { Direction } from "../../../data/camera";
import { words } from "../../../data/fields";

export type Shape = CoverRegion["outline"]["shape"];
/** Kilometres east and north of the eye. */
export type Km = [number, number];

const rad = Math.PI / 180;
/** Farthest that a region tied to the sun is put, km; as the core has it. */
const FARTHEST = 150;
/** What stands for outlines without an end, km. */
const ENDLESS = 400;

/** Turns a place so that what lay ahead (north) lies on a heading. */
const turned = ([x, y]: Km, heading: number): Km => {
  const [s, c] = [Math.sin(heading * rad), Math.cos(heading * rad)];
  return [x * c + y * s, y * c - x * s];
};

/** Where a tie stands and where its north points: the place that is 0, 0 for a region. */
export function tieOf(region: CoverRegion, layer: CloudLayer, sky: Sky, sun: Direction | undefined) {
  if (region.tied_to === "eye") return { from: [0, 0] as Km, heading: sky.eye.heading_deg };
  if (region.tied_to === "ground" || !sun) return { from: [0, 0] as Km, heading: 0 };
  const height = (layer.base_m + 0.5 * layer.depth_m - sky.eye.altitude_m) / 1000;
  const flat = Math.hypot(sun[0], sun[1]);
  const way = Math.abs(sun[2]) > 1e-6 ? (height * flat) / sun[2] : FARTHEST;
  const heading = Math.atan2(sun[0], sun[1]) / rad;
  return { from: turned([0, way < 0 ? FARTHEST : Math.min(way, FARTHEST)], heading), heading };
}

export type TieAt = ReturnType<typeof tieOf>;

/** The middle of a region on the plan. */
export function middleOf(region: CoverRegion, tie: TieAt): Km {
  const [x, y] = turned([region.east_km, region.north_km], tie.heading);
  return [x + tie.from[0], y + tie.from[1]];
}

/** The other way round: what a region has to say so that its middle lies at a place of the plan. */
export function fromPlan([x, y]: Km, tie: TieAt): Km {
  const [east, north] = turned([x - tie.from[0], y - tie.from[1]], -tie.heading);
  const tidy = (v: number) => Math.round(v * 100) / 100;
  return [tidy(east), tidy(north)];
}

/** Corners of an outline on the plan. */
export function cornersOf(region: CoverRegion, tie: TieAt): Km[] {
  const o = region.outline;
  const own: Km[] =
    o.shape === "disc"
      ? Array.from({ length: 48 }, (_, i) => turned([0, o.radius_km], i * 7.5))
      : o.shape === "wedge"
        ? [[0, 0], ...[-0.5, -0.25, 0, 0.25, 0.5].map((k): Km => turned([0, ENDLESS], k * o.width_deg))]
        : o.shape === "band"
          ? square(o.width_km / 2, ENDLESS)
          : o.shape === "image"
            ? square(o.side_km / 2, o.side_km / 2)
            : o.corners_km.map(([x, y]): Km => [x ?? 0, y ?? 0]);
  const [mx, my] = middleOf(region, tie);
  return own.map((p) => {
    const [x, y] = turned(p, region.turn_deg + tie.heading);
    return [x + mx, y + my];
  });
}

const square = (x: number, y: number): Km[] => [
  [-x, -y],
  [x, -y],
  [x, y],
  [-x, y],
];

/** A new region of a shape, about as large as a few cells. */
export function newRegion(shape: Exclude<Shape, "freehand" | "image">, layer: CloudLayer): CoverRegion {
  const size = Math.max(1, Math.round((layer.cell_size_m / 1000) * 2 * 10) / 10);
  const outlines = {
    disc: { shape: "disc", radius_km: size },
    wedge: { shape: "wedge", width_deg: 60 },
    band: { shape: "band", width_km: size },
  } as const;
  return { ...plain(layer), outline: outlines[shape] };
}

/** A region with nothing but its outline to be set. */
export const plain = (layer: CloudLayer): CoverRegion => ({
  name: "",
  muted: false,
  outline: { shape: "disc", radius_km: 5 },
  tied_to: "ground",
  east_km: 0,
  north_km: 0,
  turn_deg: 0,
  change: layer.cover > 0.5 ? -1 : 0.5,
  rim_km: 1,
});

/** An outline as it was drawn on the plan: thinned, about its own middle. */
export function drawnRegion(drawn: Km[], layer: CloudLayer): CoverRegion | null {
  const step = Math.max(1, Math.ceil(drawn.length / 60));
  const corners = drawn.filter((_, i) => i % step === 0);
  if (corners.length < 3) return null;
  const mean = (k: 0 | 1) => corners.reduce((sum, c) => sum + c[k], 0) / corners.length;
  const tidy = (v: number) => Math.round(v * 1000) / 1000;
  const [x, y] = [tidy(mean(0)), tidy(mean(1))];
  return {
    ...plain(layer),
    outline: { shape: "freehand", corners_km: corners.map((c) => [tidy(c[0] - x), tidy(c[1] - y)]) },
    east_km: x,
    north_km: y,
  };
}

/** Reads an image as a map of cover: grey, at most this many texels a side, the middle square of it. */
export async function imageRegion(file: File, layer: CloudLayer): Promise<CoverRegion> {
  const TEXELS = 128;
  const image = await createImageBitmap(file);
  const canvas = new OffscreenCanvas(TEXELS, TEXELS);
  const context = canvas.getContext("2d");
  if (!context) throw new Error(t("this browser can't read images"));
  const side = Math.min(image.width, image.height);
  const [left, top] = [(image.width - side) / 2, (image.height - side) / 2];
  context.drawImage(image, left, top, side, side, 0, 0, TEXELS, TEXELS);
  const { data } = context.getImageData(0, 0, TEXELS, TEXELS);
  const grey = (i: number) =>
    0.2126 * (data[4 * i] ?? 0) + 0.7152 * (data[4 * i + 1] ?? 0) + 0.0722 * (data[4 * i + 2] ?? 0);
  const values = Array.from({ length: TEXELS * TEXELS }, (_, i) =>
    Math.round(grey(i)).toString(16).padStart(2, "0"),
  ).join("");
  return {
    ...plain(layer),
    name: file.name.slice(0, 120),
    outline: { shape: "image", side_km: 60, texels: TEXELS, values },
    change: 1,
    rim_km: 2,
  };
}

/** What a region is called; by its shape where it has no name. */
export const nameOf = (r: CoverRegion) =>
  r.name ||
  t("{{shape}}, {{value}} cover", {
    shape: words(r.outline.shape),
    value: r.change < 0 ? t("less") : t("more"),
  });
