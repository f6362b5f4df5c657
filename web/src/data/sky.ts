// Generated from the Rust document types: do not edit.

export type Sun = {
  placement: Placement;
  angular_diameter_deg: number;
  strength: number;
  night_floor_lx: number;
};

export type Placement = {
  by: "hand";
  azimuth_deg: number;
  elevation_deg: number;
} | {
  by: "place";
  latitude_deg: number;
  longitude_deg: number;
  at: string;
};

export type Air = {
  molecules: number;
  visibility_km: number;
  aerosol: AerosolKind;
  aerosol_scale_height_m: number;
  ozone_du: number;
  planet_radius_km: number;
  ground_albedo: number;
};

export type AerosolKind = "continental" | "maritime" | "urban" | "desert_dust";

export type CloudLayer = {
  id: string;
  name: string;
  kind: CloudKind;
  muted: boolean;
  base_m: number;
  depth_m: number;
  cover: number;
  water_content_g_m3: number;
  droplet_um: number;
  cell_size_m: number;
  lobes: number;
  erosion: number;
  seed: number;
  slide_east_m: number;
  slide_north_m: number;
};

export type CloudKind = "cumulus_humilis" | "cumulus_mediocris" | "cumulus_congestus" | "stratocumulus" | "stratus" | "altocumulus";

export type Eye = {
  altitude_m: number;
  heading_deg: number;
  pitch_deg: number;
  lens_mm: number;
  frame: Frame;
};

export type Frame = "16:9" | "3:2" | "4:3" | "1:1" | "2.39:1";

export type Grade = {
  ev100: number;
  white_k: number;
  tint: number;
  tone_curve: ToneCurve;
};

export type ToneCurve = "clip" | "filmic" | "aces";

export type Sky = {
  schema: number;
  sun: Sun;
  air: Air;
  clouds: CloudLayer[];
  eye: Eye;
  grade: Grade;
};
