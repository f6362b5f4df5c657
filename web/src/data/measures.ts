// Generated from the Rust types of measures: do not edit.

export type LightReadout = {
  kind: "sun" | "moon" | "world";
  azimuth_deg: number;
  elevation_deg: number;
  true_elevation_deg: number;
  direct_normal_lx: number;
  cct_k: number | null;
  visible_fraction: number;
};

export type LayerReadout = {
  id: string;
  optical_thickness: number;
};

export type OpenEnd = {
  id: string;
  drift_m: number;
};

export type Readouts = {
  direct_normal_lx: number;
  direct_horizontal_lx: number;
  diffuse_horizontal_lx: number;
  global_horizontal_lx: number;
  sun_share: number;
  sun_cct_k: number | null;
  sky_cct_k: number | null;
  zenith_cd_m2: number;
  horizon_cd_m2: number;
  sun_visible_fraction: number;
  cover_fraction: number;
  cover_seen_fraction: number;
  suggested_ev100: number;
  penumbra_at_100_m: number;
  clipped_fraction: number;
  lights: LightReadout[];
  layers: LayerReadout[];
  open_ends: OpenEnd[];
};

export type Visibility = "clear" | "veiled" | "hidden" | "rim";

export type Target = {
  of: "sun";
  seen: Visibility;
} | {
  of: "sun_share";
  share: number;
} | {
  of: "frame";
  left: number;
  top: number;
  right: number;
  bottom: number;
  filled: boolean;
} | {
  of: "spot";
  east_m: number;
  north_m: number;
  lit: boolean;
};

export type SearchVariable = "slide" | "seed" | "thickness";

export type Candidate = {
  slide_east_m: number;
  slide_north_m: number;
  seed: number;
  optical_thickness: number;
  figure: number;
  off: number;
};

export type SearchResult = {
  found: Candidate[];
  without: number;
};

