// Generated from the Rust document types: do not edit.

export type Place = {
  name: string;
  latitude_deg: number;
  longitude_deg: number;
  at: string;
  zone: string;
  north_offset_deg: number;
};

export type Sun = {
  placement: Placement;
  muted: boolean;
  angular_diameter_deg: number;
  strength: number;
  colour: LightColour;
  disc_seen: boolean;
  limb_darkening: number;
  glare: number;
};

export type Placement = {
  by: "hand";
  azimuth_deg: number;
  elevation_deg: number;
} | {
  by: "place";
};

export type LightColour = {
  by: "sunlight";
} | {
  by: "temperature";
  kelvin: number;
} | {
  by: "tint";
  tint: Colour;
};

export type Colour = number[];

export type Moon = {
  risen: boolean;
  placement: Placement;
  phase: MoonPhase;
  angular_diameter_deg: number;
  strength: number;
  earthshine: number;
  lining: number;
  lining_deg: number;
};

export type MoonPhase = {
  by: "time";
} | {
  by: "hand";
  phase_deg: number;
};

export type Night = {
  floor_lx: number;
  milky_way: number;
  zodiacal_light: number;
  stars: Stars;
  towns: Town[];
  aurora: Aurora;
};

export type Stars = {
  field: StarField;
  strength: number;
  spot_arcmin: number;
  faintest_mag: number;
  colour: number;
  turn_deg: number;
};

export type StarField = {
  by: "place";
} | {
  by: "hand";
  latitude_deg: number;
  hour: number;
} | {
  by: "invented";
  seed: number;
  visible: number;
  bright: number;
  colour_spread: number;
  band: number;
  band_tilt_deg: number;
};

export type Town = {
  azimuth_deg: number;
  distance_km: number;
  inhabitants: number;
  colour: Colour;
};

export type Aurora = {
  brightness_kr: number;
  azimuth_deg: number;
  distance_km: number;
  curtains: number;
  folds: number;
  rays: number;
  red: number;
  violet: number;
  seed: number;
};

export type World = {
  name: string;
  muted: boolean;
  azimuth_deg: number;
  elevation_deg: number;
  distance_km: number;
  radius_km: number;
  kind: WorldKind;
  seed: number;
  light: Colour;
  dark: Colour;
  turn_deg: number;
  lean_deg: number;
  relief: number;
  feature_size: number;
  craters: number;
  air_depth: number;
  air_strength: number;
  air_colour: Colour;
  ringed: boolean;
  rings: Rings;
  seen: boolean;
  sheds_light: boolean;
};

export type WorldKind = "rock" | "ice" | "dust" | "gas" | "water" | "molten";

export type Rings = {
  inner: number;
  outer: number;
  opening_deg: number;
  gaps: number;
  opacity: number;
  colour: Colour;
};

export type SkySource = {
  made_of: SkyKind;
  horizon_drop_deg: number;
  horizon_softness_deg: number;
  seen_strength: number;
  light_strength: number;
  light_shift_mired: number;
  light_tint: Colour;
};

export type SkyKind = {
  kind: "air";
} | {
  kind: "standard";
  number: number;
  zenith_cd_m2: number;
  kelvin: number;
} | {
  kind: "gradient";
  stops: Stop[];
  along: Along;
  white_cd_m2: number;
};

export type Stop = {
  position_deg: number;
  colour: Colour;
  smoothness: number;
};

export type Along = "elevation" | "mirrored" | "sun";

export type Air = {
  molecules: number;
  molecules_scale_height_m: number;
  scatter_tint: Colour;
  absorb_tint: Colour;
  visibility_km: number;
  aerosol: AerosolKind;
  aerosol_scale_height_m: number;
  dust_optical_depth: number;
  dust_tint: Colour;
  dust_scale_height_m: number;
  ozone_du: number;
  planet_radius_km: number;
  ground_albedo: number;
  ground_tint: Colour;
};

export type AerosolKind = "continental" | "maritime" | "urban" | "desert_dust";

export type Fog = {
  muted: boolean;
  amount: number;
  visibility_km: number;
  depth_m: number;
  from_height_m: number;
  to_height_m: number;
  begins_m: number;
  ends_m: number;
  tint: Colour;
  sky_share: number;
  patchiness: number;
  patch_size_m: number;
  follows_sun: number;
  follows_cover: number;
};

export type CloudLayer = {
  id: string;
  name: string;
  kind: CloudKind;
  muted: boolean;
  base_m: number;
  depth_m: number;
  unevenness: number;
  cover: number;
  water_content_g_m3: number;
  droplet_um: number;
  droplet_spread: number;
  stretch: number;
  heading_deg: number;
  lean_deg: number;
  second_kind: CloudKind;
  second_share: number;
  cell_size_m: number;
  lobes: number;
  erosion: number;
  erosion_grain: number;
  edge: number;
  flat_base: number;
  anvil: number;
  halo: number;
  scatter_tint: Colour;
  absorb_tint: Colour;
  shade_lift: number;
  shade_tint: Colour;
  high_orders: number;
  profile: ProfilePoint[];
  shadow_on_land: number;
  own_shadow: boolean;
  shadow_east_m: number;
  shadow_north_m: number;
  seed: number;
  slide_east_m: number;
  slide_north_m: number;
  age_min: number;
  wind_share: number;
  regions: CoverRegion[];
};

export type CloudKind =
  | "cumulus_humilis"
  | "cumulus_mediocris"
  | "cumulus_congestus"
  | "cumulonimbus"
  | "stratocumulus"
  | "stratus"
  | "nimbostratus"
  | "altocumulus"
  | "altostratus"
  | "cirrocumulus"
  | "cirrostratus"
  | "cirrus_fibratus"
  | "cirrus_uncinus"
  | "contrail";

export type ProfilePoint = {
  height: number;
  density: number;
};

export type CoverRegion = {
  name: string;
  muted: boolean;
  outline: Outline;
  tied_to: Tie;
  east_km: number;
  north_km: number;
  turn_deg: number;
  change: number;
  rim_km: number;
};

export type Outline = {
  shape: "disc";
  radius_km: number;
} | {
  shape: "wedge";
  width_deg: number;
} | {
  shape: "band";
  width_km: number;
} | {
  shape: "freehand";
  corners_km: number[][];
} | {
  shape: "image";
  side_km: number;
  texels: number;
  values: string;
};

export type Tie = "ground" | "eye" | "sun";

export type Drift = {
  wind_m_s: number;
  from_deg: number;
  passed_min: number;
  loop_min: number;
};

export type Land = {
  shown: boolean;
  muted: boolean;
  seed: number;
  relief: number;
  albedo: number;
};

export type Eye = {
  altitude_m: number;
  heading_deg: number;
  pitch_deg: number;
  roll_deg: number;
  lens_mm: number;
  shift_right_mm: number;
  shift_up_mm: number;
  frame: Frame;
  free_aspect: number;
};

export type Frame = "16:9" | "3:2" | "4:3" | "1:1" | "2.39:1" | "free";

export type Viewpoint = {
  name: string;
  eye: Eye;
};

export type Grade = {
  ev100: number;
  exposures: ExposureAt[];
  white_k: number;
  tint: number;
  glare: LensGlare;
  vignette: number;
  contrast: number;
  pivot_stops: number;
  saturation: number;
  night_eye: number;
  tone_curve: ToneCurve;
  ranges: ToneRanges;
  lift: Wheel;
  gamma: Wheel;
  gain: Wheel;
  curves: DrawnCurves;
  table: ColourTable;
};

export type ExposureAt = {
  sun_elevation_deg: number;
  ev100: number;
};

export type LensGlare = {
  strength: number;
  f_number: number;
  blades: number;
  roundness: number;
  turn_deg: number;
};

export type ToneCurve = "clip" | "filmic" | "aces";

export type ToneRanges = {
  shadows: number;
  midtones: number;
  lights: number;
  shadows_end: number;
  lights_begin: number;
};

export type Wheel = {
  all: number;
  red: number;
  green: number;
  blue: number;
};

export type DrawnCurves = {
  red: CurvePoint[];
  green: CurvePoint[];
  blue: CurvePoint[];
  together: CurvePoint[];
};

export type CurvePoint = {
  from: number;
  to: number;
};

export type ColourTable = {
  name: string;
  input: TableInput;
  strength: number;
  size: number;
  values: string;
};

export type TableInput = "display" | "log";

export type Sky = {
  schema: number;
  place: Place;
  suns: Sun[];
  moon: Moon;
  night: Night;
  worlds: World[];
  source: SkySource;
  air: Air;
  fog: Fog;
  clouds: CloudLayer[];
  drift: Drift;
  land: Land;
  eye: Eye;
  viewpoints: Viewpoint[];
  grade: Grade;
};

/** How a kind is formed. */
export const familyOf: Record<CloudKind, string> = {
  cumulus_humilis: "cumuliform",
  cumulus_mediocris: "cumuliform",
  cumulus_congestus: "cumuliform",
  cumulonimbus: "cumuliform",
  stratocumulus: "stratiform",
  stratus: "stratiform",
  nimbostratus: "stratiform",
  altocumulus: "stratiform",
  altostratus: "stratiform",
  cirrocumulus: "stratiform",
  cirrostratus: "cirriform",
  cirrus_fibratus: "cirriform",
  cirrus_uncinus: "cirriform",
  contrail: "cirriform",
};
