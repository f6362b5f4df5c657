import type { CloudLayer, CoverRegion, Eye, Grade, Sky, Wheel } from "../src/data/sky";
import { plain } from "../src/bench/layers/regions/shapes";

/** A layer of which only what a test reads is there. */
export const layer = (said: Partial<CloudLayer> = {}): CloudLayer =>
  ({
    id: "heaps",
    kind: "cumulus_mediocris",
    base_m: 1000,
    depth_m: 1000,
    unevenness: 0,
    cover: 0.4,
    water_content_g_m3: 0.3,
    droplet_um: 10,
    cell_size_m: 2000,
    profile: [],
    seed: 1,
    regions: [],
    ...said,
  }) as CloudLayer;

export const eye = (said: Partial<Eye> = {}): Eye => ({
  altitude_m: 0,
  heading_deg: 0,
  pitch_deg: 0,
  roll_deg: 0,
  lens_mm: 36,
  shift_right_mm: 0,
  shift_up_mm: 0,
  frame: "16:9",
  free_aspect: 1.85,
  ...said,
});

export const sky = (clouds: CloudLayer[], said: Partial<Eye> = {}): Sky =>
  ({ clouds, eye: eye(said) }) as Sky;

export const wheel = (said: Partial<Wheel> = {}): Wheel => ({ all: 0, red: 0, green: 0, blue: 0, ...said });

export const grade = (said: Partial<Grade> = {}): Grade => ({
  ev100: 14,
  exposures: [],
  white_k: 6500,
  tint: 0,
  glare: { strength: 0, f_number: 16, blades: 7, roundness: 0, turn_deg: 0 },
  vignette: 0,
  contrast: 1,
  pivot_stops: 0,
  saturation: 1,
  night_eye: 0,
  tone_curve: "clip",
  ranges: { shadows: 0, midtones: 0, lights: 0, shadows_end: 0.4, lights_begin: 0.6 },
  lift: wheel(),
  gamma: wheel(),
  gain: wheel(),
  curves: { red: [], green: [], blue: [], together: [] },
  table: { name: "", input: "display", strength: 1, size: 0, values: "" },
  ...said,
});

export const region = (said: Partial<CoverRegion> = {}): CoverRegion => ({ ...plain(layer()), ...said });
