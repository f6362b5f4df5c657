import { t } from "../text";
/** Bakes as they stand on the wire (the crate tenter-bake), and drafts of them. */

import type { Sky } from "./sky";

export type FileKind =
  "exr" | "exr_half" | "exr_float" | "hdr" | "ktx2" | "ktx2_half" | "ktx2_float" | "png" | "png16";
export type LayerSplit = "together" | "each";
export type LowerFill = "ground" | "mirror" | "black" | { colour: [number, number, number] };
export type MapSettings = {
  layout: "latlong" | "cube" | "fisheye";
  width: number;
  heading_deg: number;
  scale: "nits" | "exposed";
  sun: boolean;
  moon: boolean;
  stars: boolean;
  worlds: boolean;
  star_list: boolean;
  clouds: boolean;
  land: boolean;
  lower: LowerFill;
  noise_percent: number | null;
};
export type VolumeChoice = {
  layers: string[];
  cloud_at: [number, number, number] | null;
  west_m: number;
  east_m: number;
  south_m: number;
  north_m: number;
  low_m: number | null;
  high_m: number | null;
  voxel_m: number | null;
  most_voxels: number | null;
  levels: number;
  split: boolean;
  half: boolean;
  z_up: boolean;
  sunlight: boolean;
};
export type PlanSettings = { east_m: number; north_m: number; extent_m: number; width: number };

export type BakeSettings =
  | { map: MapSettings; file: FileKind; mips?: boolean; layers?: LayerSplit }
  | {
      picture: { width: number; height: number; sky: boolean; noise_percent?: number | null };
      file: FileKind;
      layers?: LayerSplit;
    }
  | { volume: VolumeChoice }
  | { shadow: PlanSettings; light: number }
  | { cover: PlanSettings }
  | { light_kit: { width: number; clouds: boolean; land: boolean } }
  | {
      package: {
        map_width: number;
        clouds: boolean;
        land: boolean;
        noise_percent: number | null;
        volume: VolumeChoice | null;
      };
    };

export type Estimate = {
  seconds: number;
  bytes: number;
  memory_bytes: number;
  pieces: number;
  voxels: number | null;
  active_voxels: number | null;
  voxel_m: number | null;
  warnings: string[];
};

/** What the artist wants to have. */
export type Purpose = "light" | "backdrop" | "clouds" | "shadow" | "cover" | "kit" | "package";

/** All that the dialog knows, whatever is chosen now. */
export type BakeDraft = {
  purpose: Purpose;
  map: MapSettings;
  mapFile: FileKind;
  mips: boolean;
  mapLayers: LayerSplit | null;
  pictureWidth: number;
  pictureSky: boolean;
  pictureFile: "exr" | "png" | "png16";
  pictureLayers: LayerSplit | null;
  /** Noise that may be left, percent; null: usual steps. */
  noise: number | null;
  volume: VolumeChoice;
  plan: PlanSettings;
  light: number;
  kitWidth: number;
  packageVolume: boolean;
};

export const newDraft = (): BakeDraft => ({
  purpose: "light",
  map: {
    layout: "latlong",
    width: 2048,
    heading_deg: 0,
    scale: "nits",
    sun: true,
    moon: true,
    stars: true,
    worlds: true,
    star_list: false,
    clouds: true,
    land: false,
    lower: "ground",
    noise_percent: null,
  },
  mapFile: "exr",
  mips: false,
  mapLayers: null,
  pictureWidth: 1920,
  pictureSky: true,
  pictureFile: "exr",
  pictureLayers: null,
  noise: null,
  volume: {
    layers: [],
    cloud_at: null,
    west_m: -2000,
    east_m: 2000,
    south_m: -2000,
    north_m: 2000,
    low_m: null,
    high_m: null,
    voxel_m: null,
    most_voxels: 20e6,
    levels: 1,
    split: false,
    half: true,
    z_up: false,
    sunlight: false,
  },
  plan: { east_m: 0, north_m: 0, extent_m: 20_000, width: 1024 },
  light: 0,
  kitWidth: 256,
  packageVolume: false,
});

/** What is asked of the server. */
export function settingsOf(draft: BakeDraft, aspect: number): BakeSettings {
  const layersOf = (layers: LayerSplit | null) => (layers ? { layers } : {});
  switch (draft.purpose) {
    case "light":
      return {
        map: { ...draft.map, noise_percent: draft.noise },
        file: draft.mapFile,
        mips: draft.mapFile.startsWith("ktx2") && draft.mips,
        ...(draft.mapFile.startsWith("exr") ? layersOf(draft.mapLayers) : {}),
      };
    case "backdrop":
      return {
        picture: {
          width: draft.pictureWidth,
          height: Math.round(draft.pictureWidth / aspect),
          sky: draft.pictureSky,
          noise_percent: draft.noise,
        },
        file: draft.pictureFile,
        ...(draft.pictureFile === "exr" && draft.pictureSky ? layersOf(draft.pictureLayers) : {}),
      };
    case "clouds":
      return { volume: draft.volume };
    case "shadow":
      return { shadow: draft.plan, light: draft.light };
    case "cover":
      return { cover: draft.plan };
    case "kit":
      return { light_kit: { width: draft.kitWidth, clouds: draft.map.clouds, land: draft.map.land } };
    case "package":
      return {
        package: {
          map_width: draft.map.width,
          clouds: draft.map.clouds,
          land: draft.map.land,
          noise_percent: draft.noise,
          volume: draft.packageVolume ? draft.volume : null,
        },
      };
  }
}

/** The draft that a bake was made from. */
export function draftOf(settings: BakeSettings): BakeDraft {
  const draft = newDraft();
  // A resolved box is a rectangle again, unless it is that of one cloud.
  const free = (volume: VolumeChoice): VolumeChoice => ({ ...draft.volume, ...volume });
  if ("map" in settings) {
    const map = { ...draft.map, ...settings.map };
    return {
      ...draft,
      purpose: "light",
      map,
      noise: map.noise_percent,
      mapFile: settings.file,
      mips: settings.mips ?? false,
      mapLayers: settings.layers ?? null,
    };
  }
  if ("picture" in settings)
    return {
      ...draft,
      purpose: "backdrop",
      pictureWidth: settings.picture.width,
      pictureSky: settings.picture.sky,
      pictureFile: settings.file === "png" || settings.file === "png16" ? settings.file : "exr",
      pictureLayers: settings.layers ?? null,
      noise: settings.picture.noise_percent ?? null,
    };
  if ("volume" in settings) return { ...draft, purpose: "clouds", volume: free(settings.volume) };
  if ("shadow" in settings)
    return { ...draft, purpose: "shadow", plan: settings.shadow, light: settings.light };
  if ("cover" in settings) return { ...draft, purpose: "cover", plan: settings.cover };
  if ("light_kit" in settings) return { ...draft, purpose: "kit", kitWidth: settings.light_kit.width };
  const { map_width, clouds, land, noise_percent, volume } = settings.package;
  return {
    ...draft,
    purpose: "package",
    map: { ...draft.map, width: map_width, clouds, land },
    noise: noise_percent,
    packageVolume: volume !== null,
    volume: volume ? free(volume) : draft.volume,
  };
}

/** A line that says what a bake is. */
export function settingsLine(settings: BakeSettings): string {
  const parts: string[] = [];
  if ("map" in settings) {
    const { map, file } = settings;
    const high = { latlong: map.width / 2, cube: map.width, fisheye: map.width }[map.layout ?? "latlong"];
    parts.push(map.layout ?? "latlong", `${map.width} × ${high}`, file.replace("_", " "));
    parts.push(map.scale === "exposed" ? "exposed" : "cd/m²");
    if (settings.layers) parts.push(t("in layers"));
    if (map.sun === false) parts.push(t("without discs"));
    if (map.clouds === false) parts.push(t("without clouds"));
    if (map.land) parts.push(t("with land"));
  } else if ("picture" in settings) {
    const { width, height, sky } = settings.picture;
    parts.push("backdrop", `${width} × ${height}`, settings.file);
    if (settings.layers) parts.push(t("in layers"));
    if (!sky) parts.push(t("without its sky"));
  } else if ("volume" in settings) {
    parts.push(
      "volume",
      t("voxels of {{voxel_m}} m", { voxel_m: settings.volume.voxel_m }),
      settings.volume.half ? "half" : "float",
    );
    if (settings.volume.cloud_at) parts.push(t("one cloud"));
    if (settings.volume.levels > 1) parts.push(t("{{levels}} sizes", { levels: settings.volume.levels }));
  } else if ("shadow" in settings) {
    parts.push(
      t("shadow map"),
      t("{{value}} km", { value: settings.shadow.extent_m / 1000 }),
      t("{{width}} px", { width: settings.shadow.width }),
    );
  } else if ("cover" in settings) {
    parts.push(
      t("cover map"),
      t("{{value}} km", { value: settings.cover.extent_m / 1000 }),
      t("{{width}} px", { width: settings.cover.width }),
    );
  } else if ("light_kit" in settings) {
    parts.push(t("light apart"), t("{{width}} px", { width: settings.light_kit.width }));
  } else {
    parts.push("package", t("map {{map_width}} px", { map_width: settings.package.map_width }));
    if (settings.package.volume) parts.push(t("with volumes"));
  }
  return parts.join(", ");
}

/** A cloud that was pointed at. */
export type PickedCloud = {
  layer: string;
  name: string;
  east_m: number;
  north_m: number;
  altitude_m: number;
  distance_m: number;
};

/** Facts and checks of a file. */
export type Inspection = {
  id?: string;
  name: string;
  kind: "exr" | "hdr" | "ktx2" | "png" | "vdb";
  bytes: number;
  panorama: "latlong" | "cube" | "fisheye" | null;
  heading_deg: number;
  parts: { name: string; channels: [string, string][]; width: number; height: number }[];
  attributes: Record<string, unknown>;
  white_luminance: number;
  display: boolean;
  level_ground_lx: number | null;
  irradiance_sh: [number, number, number][] | null;
  largest: { value: number; azimuth_deg: number; elevation_deg: number } | null;
  grids: {
    name: string;
    values: string;
    voxel_m: [number, number, number];
    active_voxels: number;
    smallest: number;
    largest: number;
    low: [number, number, number];
    high: [number, number, number];
    metadata: Record<string, unknown>;
  }[];
  checks: { name: string; passed: boolean; found: string }[];
  lights:
    | {
        illuminance_lx: number;
        azimuth_deg: number;
        elevation_deg: number;
        direction: number[];
        illuminance_rgb: number[];
        in_map: boolean;
      }[]
    | null;
  exposure_ev100: number | null;
};

export type BakeSource = { sky: Sky; name: string; skyId: string | null };
