import type { BakeDraft, FileKind, LayerSplit, LowerFill } from "../data/bakes";
import { aspectOf } from "../data/camera";
import type { Sky } from "../data/sky";
import { CheckLine } from "../ui/check-line";
import { Choice } from "../ui/choice";
import { FieldLine } from "../ui/field-line";
import { NumberField } from "../ui/number-field";

export type Fields = { draft: BakeDraft; set: (change: Partial<BakeDraft>) => void; sky: Sky };

const layouts = [
  { value: "latlong", title: "Latlong", help: "The whole sphere, twice as wide as high" },
  { value: "cube", title: "Cube", help: "Six square faces" },
  { value: "fisheye", title: "Fisheye", help: "The upper hemisphere in a circle" },
];
const sizes = {
  latlong: [256, 512, 1024, 2048, 4096, 8192, 16384],
  cube: [64, 128, 256, 512, 1024, 2048, 4096],
  fisheye: [256, 512, 1024, 2048, 4096, 8192],
};
const files: { value: FileKind; title: string; help?: string }[] = [
  { value: "exr", title: "OpenEXR", help: "Half values, or float where the sun's disc needs it" },
  { value: "exr_half", title: "OpenEXR, half", help: "Fails if the sun's disc does not fit" },
  { value: "exr_float", title: "OpenEXR, float" },
  { value: "hdr", title: "Radiance HDR" },
  { value: "ktx2", title: "KTX2", help: "Cubes alone" },
  { value: "png", title: "PNG, 8 bits", help: "Developed and dithered: to look at" },
  { value: "png16", title: "PNG, 16 bits", help: "Developed: to finish elsewhere" },
];
const scales = [
  { value: "nits", title: "cd/m²", help: "Y is luminance" },
  { value: "exposed", title: "Exposed", help: "1 is display white at this sky's exposure" },
];
const lowers = [
  { value: "ground", title: "Ground", help: "Lit, and under air" },
  { value: "mirror", title: "Mirrored sky" },
  { value: "black", title: "Black" },
  { value: "colour", title: "One colour", help: "In cd/m²" },
];
const splits = [
  { value: "none", title: "One picture" },
  {
    value: "each",
    title: "Layers",
    help: "Sky, land and each cloud layer as parts; over one another they are the map",
  },
  { value: "together", title: "Layers, clouds together" },
];

/** A map of all directions. */
export function MapFields({ draft, set }: Fields) {
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
      <FieldLine title="Layout">
        <Choice label="Layout" value={layout} options={layouts} onChange={setLayout} />
      </FieldLine>
      <FieldLine title="Size">
        <Choice
          label="Size"
          value={String(width)}
          options={sizes[layout].map((w) => ({
            value: String(w),
            title: `${w} × ${layout === "latlong" ? w / 2 : w}${layout === "cube" ? " a face" : ""}`,
          }))}
          onChange={(w) => map({ width: Number(w) })}
        />
      </FieldLine>
      <FieldLine title="File">
        <Choice
          label="File"
          value={draft.mapFile}
          options={files.filter((f) => layout === "cube" || !f.value.startsWith("ktx2"))}
          onChange={(f) => set({ mapFile: f as FileKind })}
        />
      </FieldLine>
      <FieldLine title="Values">
        <Choice
          label="Values"
          value={draft.map.scale}
          options={scales}
          onChange={(v) => map({ scale: v as "nits" | "exposed" })}
        />
      </FieldLine>
      <FieldLine title={layout === "fisheye" ? "Top" : "Middle"}>
        <NumberField
          label="Azimuth in the middle, degrees"
          value={draft.map.heading_deg}
          unit="°"
          onChange={(v) => map({ heading_deg: v ?? 0 })}
        />
      </FieldLine>
      {layout !== "fisheye" && (
        <FieldLine title="Lower half">
          <span className="flex items-center gap-2">
            <Choice
              label="Lower half"
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
                  label={`${["Red", "Green", "Blue"][c]} of the lower half, cd/m²`}
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
        <FieldLine title="Parts">
          <Choice
            label="Parts"
            value={draft.mapLayers ?? "none"}
            options={splits}
            onChange={(v) => set({ mapLayers: v === "none" ? null : (v as LayerSplit) })}
          />
        </FieldLine>
      )}
      <div className="grid grid-cols-2">
        <CheckLine title="Discs of suns and moon" on={draft.map.sun} onChange={(sun) => map({ sun })} />
        <CheckLine title="Clouds" on={draft.map.clouds} onChange={(clouds) => map({ clouds })} />
        <CheckLine title="Trial land" on={draft.map.land} onChange={(land) => map({ land })} />
        {draft.mapFile.startsWith("ktx2") && (
          <CheckLine title="All smaller levels" on={draft.mips} onChange={(mips) => set({ mips })} />
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
      <FieldLine title="Size">
        <Choice
          label="Size"
          value={String(draft.pictureWidth)}
          options={[960, 1920, 2560, 3840, 7680].map((w) => ({
            value: String(w),
            title: `${w} × ${Math.round(w / aspect)}`,
          }))}
          onChange={(w) => set({ pictureWidth: Number(w) })}
        />
      </FieldLine>
      <FieldLine title="File">
        <Choice
          label="File"
          value={draft.pictureFile}
          options={[
            { value: "exr", title: "OpenEXR", help: "Linear, cd/m²" },
            { value: "png16", title: "PNG, 16 bits", help: "Developed: to finish elsewhere" },
            { value: "png", title: "PNG, 8 bits", help: "Developed and dithered" },
          ]}
          onChange={(f) => set({ pictureFile: f as typeof draft.pictureFile })}
        />
      </FieldLine>
      {draft.pictureFile === "exr" && draft.pictureSky && (
        <FieldLine title="Parts">
          <Choice
            label="Parts"
            value={draft.pictureLayers ?? "none"}
            options={splits}
            onChange={(v) => set({ pictureLayers: v === "none" ? null : (v as LayerSplit) })}
          />
        </FieldLine>
      )}
      <CheckLine
        title="The sky is in it; without it the picture is clear behind clouds and land"
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
      <FieldLine title="Reflections">
        <Choice
          label="Reflections"
          value={String(draft.kitWidth)}
          options={[64, 128, 256, 512].map((w) => ({ value: String(w), title: `${w} a face when sharp` }))}
          onChange={(w) => set({ kitWidth: Number(w) })}
        />
      </FieldLine>
      <CheckLine title="Clouds" on={draft.map.clouds} onChange={(clouds) => map({ clouds })} />
      <p className="max-w-prose text-quiet">
        Lights as numbers, the rest of the sky as nine harmonics, an irradiance map and cube maps by roughness
        (KTX2).
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
      <FieldLine title="Map">
        <Choice
          label="Map"
          value={String(width)}
          options={sizes.latlong.map((w) => ({ value: String(w), title: `${w} × ${w / 2}` }))}
          onChange={(w) => map({ width: Number(w) })}
        />
      </FieldLine>
      <CheckLine
        title="Clouds within 5 km as volumes, 20 million voxels at most"
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
        A folder and a zip of it with a USD stage: dome light, a light for each sun and moon, the camera.
        Without volumes also as one .usdz file.
      </p>
    </>
  );
}

const qualities = [
  { value: "usual", title: "Usual steps", help: "As the Picture" },
  { value: "5", title: "Look", help: "At most 5 % of noise: to try" },
  { value: "0.5", title: "Deliver", help: "At most 0.5 %: to hand on" },
  { value: "own", title: "Another" },
];

/** How much noise may be left. */
export function NoiseField({ draft, set }: Fields) {
  const { noise } = draft;
  const known =
    noise === null ? "usual" : qualities.some((q) => q.value === String(noise)) ? String(noise) : "own";
  return (
    <FieldLine title="Quality">
      <span className="flex items-center gap-2">
        <Choice
          label="Quality"
          value={known}
          options={qualities}
          onChange={(v) => set({ noise: v === "usual" ? null : v === "own" ? 1 : Number(v) })}
        />
        {noise !== null && (
          <NumberField
            label="Noise that may be left, percent"
            value={noise}
            unit="%"
            onChange={(v) => set({ noise: v })}
          />
        )}
      </span>
    </FieldLine>
  );
}
