import { t } from "../../text";
import { fieldsOf, type Field, type Schema } from "../../data/fields";
import { showNumber } from "../../data/number";
import type { Sky } from "../../data/sky";
import { selectionOf, worldSelection, type Selection } from "../store/selection";

/**
 * Rows of one object of the document: where they belong, and how to find the object in a document being
 * changed.
 */
export type Group = {
  selection: Selection;
  /** Whose rows they are, for lists that mix several. */
  owner: string;
  fields: Field[];
  of: object;
  edit: (sky: Sky) => object | undefined;
  defaults?: object;
};

const without = (fields: Field[], ...names: string[]) => fields.filter((f) => !names.includes(f.name));

export const sunName = (sky: Sky, i: number) =>
  sky.suns.length > 1 ? t("Sun {{i}}", { i: i + 1 }) : t("Sun");

export const worldName = (sky: Sky, i: number) => sky.worlds[i]?.name || t("World {{i}}", { i: i + 1 });

/** Every row of a sky, group by group. */
export function groupsOf(sky: Sky, schema: Schema): Group[] {
  const groups: Group[] = [];
  const add = (
    selection: Selection,
    owner: string,
    fields: Field[],
    edit: (sky: Sky) => object | undefined,
    defaults?: object,
  ) => {
    const of = edit(sky);
    if (of && fields.length > 0)
      groups.push({ selection, owner, fields, of, edit, ...(defaults ? { defaults } : {}) });
  };
  add("place", t("Place and time"), without(fieldsOf(schema, "Place"), "at", "name", "zone"), (s) => s.place);
  sky.suns.forEach((sun, i) => {
    const [selection, owner] = [`sun${i}` as Selection, sunName(sky, i)];
    const { placement, colour } = sun;
    add(selection, owner, fieldsOf(schema, "Placement", placement.by), (s) => s.suns[i]?.placement);
    add(selection, owner, fieldsOf(schema, "LightColour", colour.by), (s) => s.suns[i]?.colour);
    add(selection, owner, without(fieldsOf(schema, "Sun"), "muted"), (s) => s.suns[i]);
  });
  const moon = sky.moon;
  if (moon.risen) {
    add("moon", t("Moon"), fieldsOf(schema, "Placement", moon.placement.by), (s) => s.moon.placement);
    add("moon", t("Moon"), fieldsOf(schema, "MoonPhase", moon.phase.by), (s) => s.moon.phase);
    add("moon", t("Moon"), without(fieldsOf(schema, "Moon"), "risen"), (s) => s.moon);
  }
  add("source", t("Sky"), fieldsOf(schema, "SkyKind", sky.source.made_of.kind), (s) => s.source.made_of);
  add("source", t("Sky"), fieldsOf(schema, "SkySource"), (s) => s.source);
  const { field } = sky.night.stars;
  add("night", t("Stars"), fieldsOf(schema, "StarField", field.by), (s) => s.night.stars.field);
  add("night", t("Stars"), fieldsOf(schema, "Stars"), (s) => s.night.stars);
  add("night", t("Night"), fieldsOf(schema, "Night"), (s) => s.night);
  add("night", t("Aurora"), fieldsOf(schema, "Aurora"), (s) => s.night.aurora);
  sky.night.towns.forEach((_, i) =>
    add("night", t("Town {{i}}", { i: i + 1 }), fieldsOf(schema, "Town"), (s) => s.night.towns[i]),
  );
  sky.worlds.forEach((world, i) => {
    const [selection, owner] = [worldSelection(i), worldName(sky, i)];
    add(selection, owner, without(fieldsOf(schema, "World"), "muted", "name"), (s) => s.worlds[i]);
    if (world.ringed) add(selection, t("Rings"), fieldsOf(schema, "Rings"), (s) => s.worlds[i]?.rings);
  });
  add("air", t("Air"), fieldsOf(schema, "Air"), (s) => s.air);
  add("fog", t("Low fog"), without(fieldsOf(schema, "Fog"), "muted"), (s) => s.fog);
  sky.clouds.forEach((layer, i) => {
    const usual = schema.usual[layer.kind];
    const defaults = { ...usual, seed: layer.seed, slide_east_m: 0, slide_north_m: 0 };
    const fields = without(fieldsOf(schema, "CloudLayer"), "muted", "kind");
    add(selectionOf(layer), layer.name || t("Clouds"), fields, (s) => s.clouds[i], defaults);
  });
  add("drift", t("Wind and drift"), fieldsOf(schema, "Drift"), (s) => s.drift);
  add("land", t("Trial land"), without(fieldsOf(schema, "Land"), "muted"), (s) => s.land);
  const eye = fieldsOf(schema, "Eye");
  add("eye", t("Eye"), sky.eye.frame === "free" ? eye : without(eye, "free_aspect"), (s) => s.eye);
  add("grade", t("Grade"), fieldsOf(schema, "Grade"), (s) => s.grade);
  add("grade", t("Glare of the lens"), fieldsOf(schema, "LensGlare"), (s) => s.grade.glare);
  add("grade", t("Ranges"), fieldsOf(schema, "ToneRanges"), (s) => s.grade.ranges);
  for (const name of ["lift", "gamma", "gain"] as const)
    add(
      "grade",
      name.replace(/^./, (c) => c.toUpperCase()),
      fieldsOf(schema, "Wheel"),
      (s) => s.grade[name],
    );
  if (sky.grade.table.size > 0)
    add(
      "grade",
      t("Table of colours"),
      fieldsOf(schema, "ColourTable").filter((f) => ["strength", "input"].includes(f.name)),
      (s) => s.grade.table,
    );
  return groups;
}

/** WMO: fog under 1 km, mist to 5 km; what is dry and reaches farther is haze. */
export const fogName = (visibility_km: number) =>
  visibility_km < 1 ? t("Fog") : visibility_km <= 5 ? t("Mist") : t("Haze");

/** Words a painter would type, and the rows they mean. */
const plainWords: [string, string[]][] = [
  [
    t("redder warmer red orange evening"),
    [
      "elevation_deg",
      "dust_optical_depth",
      "dust_tint",
      "white_k",
      "molecules",
      "kelvin",
      "light_shift_mired",
    ],
  ],
  [
    t("bluer colder blue"),
    ["ozone_du", "molecules", "white_k", "scatter_tint", "light_shift_mired", "kelvin"],
  ],
  [
    t("hazier haze clearer depth distance aerial"),
    ["visibility_km", "aerosol_scale_height_m", "aerosol", "amount"],
  ],
  [
    t("darker brighter lighter exposure"),
    ["ev100", "strength", "seen_strength", "light_strength", "floor_lx"],
  ],
  [t("softer shadows penumbra"), ["angular_diameter_deg"]],
  [t("shafts rays beams"), ["visibility_km", "cover", "amount"]],
  [t("higher lower"), ["elevation_deg", "altitude_m", "base_m", "pitch_deg"]],
  [t("thicker thinner"), ["water_content_g_m3", "depth_m", "droplet_um", "visibility_km"]],
  [t("turn rotate direction"), ["azimuth_deg", "heading_deg", "north_offset_deg"]],
  [t("zoom closer wide"), ["lens_mm"]],
  [t("tilt dutch level roll horizon"), ["roll_deg", "pitch_deg", "shift_up_mm"]],
  [t("colourful vivid dull grey saturation"), ["saturation"]],
  [t("contrast punch flat"), ["contrast", "pivot_stops", "shadows", "lights"]],
  [t("lift gamma gain wheels"), ["all", "red", "green", "blue"]],
  [t("crop format aspect proportions"), ["frame", "free_aspect"]],
  [t("corners vignette dark edges"), ["vignette"]],
  [t("northern lights curtain polar"), ["brightness_kr", "curtains", "folds", "rays"]],
  [
    t("night stars moon constellation"),
    ["floor_lx", "phase_deg", "earthshine", "faintest_mag", "spot_arcmin", "milky_way", "night_eye"],
  ],
  [
    t("world planet neighbour moon alien ring rings"),
    ["radius_km", "distance_km", "ringed", "opening_deg", "inner", "outer"],
  ],
  [t("galaxy milky way band"), ["milky_way", "band", "band_tilt_deg"]],
  [t("town city light pollution glow lamps"), ["inhabitants", "distance_km", "floor_lx"]],
  [t("sunset sunrise dusk dawn golden"), ["elevation_deg", "dust_optical_depth"]],
  [t("temperature kelvin"), ["white_k", "kelvin"]],
  [t("wispy wisps thin feathery"), ["stretch", "erosion", "edge", "lobes"]],
  [t("blur soft blurry sharp"), ["edge", "angular_diameter_deg", "visibility_km"]],
  [t("bigger larger size smaller"), ["cell_size_m", "depth_m", "angular_diameter_deg", "lobes"]],
  [t("halo glow bloom aureole"), ["halo", "glare", "strength", "aerosol", "visibility_km"]],
  [t("star starburst rays spikes diffraction flare"), ["strength", "blades", "f_number", "roundness"]],
  [
    t("streaks wind shear drawn drift move"),
    ["stretch", "heading_deg", "lean_deg", "wind_m_s", "wind_share"],
  ],
  [t("crisp soft veiled edges ragged"), ["edge", "erosion", "erosion_grain", "flat_base"]],
  [t("time loop older boil change"), ["age_min", "passed_min", "loop_min"]],
  [
    t("shadow shade darker side"),
    ["shade_lift", "shade_tint", "own_shadow", "shadow_on_land", "high_orders"],
  ],
  [
    t("planet world alien"),
    ["planet_radius_km", "molecules_scale_height_m", "scatter_tint", "absorb_tint", "molecules"],
  ],
  [t("more less clouds cover overcast"), ["cover", "cell_size_m"]],
  [t("mist low"), ["amount", "depth_m", "patchiness"]],
];

/** Fields whose name, title, help or plain words hold what is typed, best first. */
export function find(groups: Group[], typed: string): Group[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const score = (group: Group, f: Field): number => {
    const plain = plainWords
      .filter(([, names]) => names.includes(f.name))
      .map(([said]) => said)
      .join(" ");
    let worst = Infinity;
    for (const w of words) {
      const [title, owner] = [f.title.toLowerCase(), group.owner.toLowerCase()];
      const here = title.startsWith(w)
        ? 5
        : title.includes(w) || owner.startsWith(w)
          ? 4
          : ` ${plain}`.includes(` ${w}`)
            ? 3
            : f.help.toLowerCase().includes(w)
              ? 1
              : 0;
      worst = Math.min(worst, here);
    }
    return worst;
  };
  return groups
    .flatMap((g) => g.fields.map((f) => ({ g, f, rank: score(g, f) })))
    .filter(({ rank }) => rank > 0)
    .sort((a, b) => b.rank - a.rank)
    .slice(0, 12)
    .map(({ g, f }) => ({ ...g, fields: [f] }));
}

/** What a part shows beside its name. */
export const sunLine = (sky: Sky, i: number): string => {
  const sun = sky.suns[i];
  if (!sun) return "";
  const { placement: p, colour: c } = sun;
  const where =
    p.by === "hand"
      ? t("{{elevation_deg}}° high", { elevation_deg: showNumber(p.elevation_deg) })
      : t("by place and time");
  return c.by === "temperature" ? `${where}, ${Math.round(c.kelvin)} K` : where;
};
