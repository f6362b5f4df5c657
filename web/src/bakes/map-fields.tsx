import { t } from "../text";
import type { BakeDraft, FileKind, LayerSplit, LowerFill } from "../data/bakes";
import { aspectOf } from "../data/camera";
import type { Sky } from "../data/sky";
import { CheckLine } from "../ui/check-line";
import { Choice } from "../ui/choice";
import { FieldLine } from "../ui/field-line";
import { NumberField } from "../ui/number-field";

export type Fields = { draft: BakeDraft; set: (change: Partial<BakeDraft>) => void; sky: Sky };

const layouts = [
  { value: "latlong", title: t("Latlong"), help: t("The whole sphere, twice as wide as high") },
  { value: "cube", title: t("Cube"), help: t("Six square faces") },
  { value: "fisheye", title: t("Fisheye"), help: t("The upper hemisphere in a circle") },
];
const sizes = {
  latlong: [256, 512, 1024, 2048, 4096, 8192, 16384],
  cube: [64, 128, 256, 512, 1024, 2048, 4096],
  fisheye: [256, 512, 1024, 2048, 4096, 8192],
};
const files: { value: FileKind; title: string; help?: string }[] = [
  { value: "exr", title: t("OpenEXR"), help: t("Half values, or float where the sun's disc needs it") },
  { value: "exr_half", title: t("OpenEXR, half"), help: t("Fails if the sun's disc does not fit") },
  { value: "exr_float", title: t("OpenEXR, float") },
  { value: "hdr", title: t("Radiance HDR") },
  { value: "ktx2", title: t("KTX2"), help: t("Cubes alone") },
  { value: "png", title: t("PNG, 8 bits"), help: t("Developed and dithered: to look at") },
  { value: "png16", title: t("PNG, 16 bits"), help: t("Developed: to finish elsewhere") },
];
const scales = [
  { value: "nits", title: t("cd/m²"), help: t("Y is luminance") },
  { value: "exposed", title: t("Exposed"), help: t("1 is display white at this sky's exposure") },
];
const lowers = [
  { value: "ground", title: t("Ground"), help: t("Lit, and under air") },
  { value: "mirror", title: t("Mirrored sky") },
  { value: "black", title: t("Black") },
  { value: "colour", title: t("One colour"), help: t("In cd/m²") },
];
const splits = [
  { value: "none", title: t("One picture") },
  {
    value: "each",
    title: t("Layers"),
    help: t("Sky, land and each cloud layer as parts; over one another they are the map"),
  },
  { value: "together", title: t("Layers, clouds together") },
];

/** A map of all directions. */
export function MapFields({ draft, set, sky }: Fields) {
  const map = (change: Partial<BakeDraft["map"]>) => set({ map: { ...draft.map, ...change } });
  const { layout, width, lower } = draft.map;
  const setLayout = (next: string) => {
    const chosen = next as typeof layout;
    const room = sizes[chosen];
    map({ layout: chosen, width: room.includes(width) ? width : (room[3] ?? 1024) });
    if (chosen !== "cube" && draft.mapFile.startsWith("ktx2")) set({ mapFile: "exr" });
  };
  return (
    <>
      <FieldLine title={t("Layout")}>
        <Choice label={t("Layout")} value={layout} options={layouts} onChange={setLayout} />
      </FieldLine>
      <FieldLine title={t("Size")}>
        <Choice
          label={t("Size")}
          value={String(width)}
          options={sizes[layout].map((w) => ({
            value: String(w),
            title: `${w} × ${layout === "latlong" ? w / 2 : w}${layout === "cube" ? t(" a face") : ""}`,
          }))}
          onChange={(w) => map({ width: Number(w) })}
        />
      </FieldLine>
      <FieldLine title={t("File")}>
        <Choice
          label={t("File")}
          value={draft.mapFile}
          options={files.filter((f) => layout === "cube" || !f.value.startsWith("ktx2"))}
          onChange={(f) => set({ mapFile: f as FileKind })}
        />
      </FieldLine>
      <FieldLine title={t("Values")}>
        <Choice
          label={t("Values")}
          value={draft.map.scale}
          options={scales}
          onChange={(v) => map({ scale: v as "nits" | "exposed" })}
        />
      </FieldLine>
      <FieldLine title={layout === "fisheye" ? t("Top") : t("Middle")}>
        <NumberField
          label={t("Azimuth in the middle, degrees")}
          value={draft.map.heading_deg}
          unit="°"
          onChange={(v) => map({ heading_deg: v ?? 0 })}
        />
      </FieldLine>
      {layout !== "fisheye" && (
        <FieldLine title={t("Lower half")}>
          <span className="flex items-center gap-2">
            <Choice
              label={t("Lower half")}
              value={typeof lower === "string" ? lower : "colour"}
              options={lowers}
              onChange={(v) =>
                map({ lower: v === "colour" ? { colour: [500, 500, 500] } : (v as LowerFill) })
              }
            />
            {typeof lower === "object" &&
              [0, 1, 2].map((c) => (
                <NumberField
                  key={c}
                  label={t("{{value}} of the lower half, cd/m²", {
                    value: [t("Red"), t("Green"), t("Blue")][c],
                  })}
                  value={lower.colour[c] ?? 0}
                  onChange={(v) => {
                    const colour: [number, number, number] = [...lower.colour];
                    colour[c] = Math.max(0, v ?? 0);
                    map({ lower: { colour } });
                  }}
                />
              ))}
          </span>
        </FieldLine>
      )}
      {draft.mapFile.startsWith("exr") && (
        <FieldLine title={t("Parts")}>
          <Choice
            label={t("Parts")}
            value={draft.mapLayers ?? "none"}
            options={splits}
            onChange={(v) => set({ mapLayers: v === "none" ? null : (v as LayerSplit) })}
          />
        </FieldLine>
      )}
      <div className="grid grid-cols-2">
        <CheckLine title={t("Discs of suns")} on={draft.map.sun} onChange={(sun) => map({ sun })} />
        {sky.moon.risen && (
          <CheckLine title={t("The moon's disc")} on={draft.map.moon} onChange={(moon) => map({ moon })} />
        )}
        {sky.worlds.length > 0 && (
          <CheckLine
            title={t("Neighbour worlds")}
            on={draft.map.worlds}
            onChange={(worlds) => map({ worlds })}
          />
        )}
        <CheckLine title={t("Stars")} on={draft.map.stars} onChange={(stars) => map({ stars })} />
        <CheckLine
          title={t("A list of the stars beside it")}
          on={draft.map.star_list}
          onChange={(star_list) => map({ star_list })}
        />
        <CheckLine title={t("Clouds")} on={draft.map.clouds} onChange={(clouds) => map({ clouds })} />
        <CheckLine title={t("Trial land")} on={draft.map.land} onChange={(land) => map({ land })} />
        {draft.mapFile.startsWith("ktx2") && (
          <CheckLine title={t("All smaller levels")} on={draft.mips} onChange={(mips) => set({ mips })} />
        )}
      </div>
    </>
  );
}

/** What the camera sees. */
export function BackdropFields({ draft, set, sky }: Fields) {
  const aspect = aspectOf(sky.eye);
  return (
    <>
      <FieldLine title={t("Size")}>
        <Choice
          label={t("Size")}
          value={String(draft.pictureWidth)}
          options={[960, 1920, 2560, 3840, 7680].map((w) => ({
            value: String(w),
            title: `${w} × ${Math.round(w / aspect)}`,
          }))}
          onChange={(w) => set({ pictureWidth: Number(w) })}
        />
      </FieldLine>
      <FieldLine title={t("File")}>
        <Choice
          label={t("File")}
          value={draft.pictureFile}
          options={[
            { value: "exr", title: t("OpenEXR"), help: t("Linear, cd/m²") },
            { value: "png16", title: t("PNG, 16 bits"), help: t("Developed: to finish elsewhere") },
            { value: "png", title: t("PNG, 8 bits"), help: t("Developed and dithered") },
          ]}
          onChange={(f) => set({ pictureFile: f as typeof draft.pictureFile })}
        />
      </FieldLine>
      {draft.pictureFile === "exr" && draft.pictureSky && (
        <FieldLine title={t("Parts")}>
          <Choice
            label={t("Parts")}
            value={draft.pictureLayers ?? "none"}
            options={splits}
            onChange={(v) => set({ pictureLayers: v === "none" ? null : (v as LayerSplit) })}
          />
        </FieldLine>
      )}
      <CheckLine
        title={t("The sky is in it; without it the picture is clear behind clouds and land")}
        on={draft.pictureSky}
        onChange={(pictureSky) => set({ pictureSky })}
      />
    </>
  );
}

/** Suns, moon, harmonics, irradiance and reflections. */
export function KitFields({ draft, set }: Fields) {
  const map = (change: Partial<BakeDraft["map"]>) => set({ map: { ...draft.map, ...change } });
  return (
    <>
      <FieldLine title={t("Reflections")}>
        <Choice
          label={t("Reflections")}
          value={String(draft.kitWidth)}
          options={[64, 128, 256, 512].map((w) => ({
            value: String(w),
            title: t("{{w}} a face when sharp", { w }),
          }))}
          onChange={(w) => set({ kitWidth: Number(w) })}
        />
      </FieldLine>
      <CheckLine title={t("Clouds")} on={draft.map.clouds} onChange={(clouds) => map({ clouds })} />
      <p className="max-w-prose text-quiet">
        {t(
          "Lights as numbers, the rest of the sky as nine harmonics, an irradiance map and cube maps by roughness (KTX2).",
        )}
      </p>
    </>
  );
}

/** A stage with all of it. */
export function PackageFields({ draft, set }: Fields) {
  const map = (change: Partial<BakeDraft["map"]>) => set({ map: { ...draft.map, ...change } });
  const width = sizes.latlong.includes(draft.map.width) ? draft.map.width : 2048;
  return (
    <>
      <FieldLine title={t("Map")}>
        <Choice
          label={t("Map")}
          value={String(width)}
          options={sizes.latlong.map((w) => ({ value: String(w), title: `${w} × ${w / 2}` }))}
          onChange={(w) => map({ width: Number(w) })}
        />
      </FieldLine>
      <CheckLine
        title={t("Clouds within 5 km as volumes, 20 million voxels at most")}
        on={draft.packageVolume}
        onChange={(packageVolume) =>
          set({
            packageVolume,
            volume: {
              ...draft.volume,
              cloud_at: null,
              west_m: -5000,
              east_m: 5000,
              south_m: -5000,
              north_m: 5000,
              voxel_m: null,
              most_voxels: 20e6,
            },
          })
        }
      />
      <p className="max-w-prose text-quiet">
        {t(
          "A folder and a zip of it with a USD stage: dome light, a light for each sun and moon, the camera. Without volumes also as one .usdz file.",
        )}
      </p>
    </>
  );
}

const qualities = [
  { value: "usual", title: t("Usual steps"), help: t("As the Picture") },
  { value: "5", title: t("Look"), help: t("At most 5 % of noise: to try") },
  { value: "0.5", title: t("Deliver"), help: t("At most 0.5 %: to hand on") },
  { value: "own", title: t("Another") },
];

/** How much noise may be left. */
export function NoiseField({ draft, set }: Fields) {
  const { noise } = draft;
  const known =
    noise === null ? "usual" : qualities.some((q) => q.value === String(noise)) ? String(noise) : "own";
  return (
    <FieldLine title={t("Quality")}>
      <span className="flex items-center gap-2">
        <Choice
          label={t("Quality")}
          value={known}
          options={qualities}
          onChange={(v) => set({ noise: v === "usual" ? null : v === "own" ? 1 : Number(v) })}
        />
        {noise !== null && (
          <NumberField
            label={t("Noise that may be left, percent")}
            value={noise}
            unit="%"
            onChange={(v) => set({ noise: v })}
          />
        )}
      </span>
    </FieldLine>
  );
}
