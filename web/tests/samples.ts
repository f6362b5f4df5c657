import type { CloudLayer, CoverRegion, Eye, Grade, Sky } from "../src/data/sky";
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
  lens_mm: 36,
  frame: "16:9",
  ...said,
});

export const sky = (clouds: CloudLayer[], said: Partial<Eye> = {}): Sky =>
  ({ clouds, eye: eye(said) }) as Sky;

export const grade = (said: Partial<Grade> = {}): Grade => ({
  ev100: 14,
  exposures: [],
  white_k: 6500,
  tint: 0,
  tone_curve: "clip",
  ...said,
});

export const region = (said: Partial<CoverRegion> = {}): CoverRegion => ({ ...plain(layer()), ...said });
