import { t } from "../../../text";
import type { Schema } from "../../../data/fields";
import type { Air, Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { useBench } from "../../store/bench-store";
import { Disclosure } from "../disclosure";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

/** What is set most, first. */
const FIRST = [
  "visibility_km",
  "dust_optical_depth",
  "ozone_du",
  "aerosol",
  "aerosol_scale_height_m",
  "dust_tint",
  "dust_scale_height_m",
  "ground_albedo",
  "ground_tint",
];

/**
 * Airs to begin from. Radius and scale height of Mars and Titan as handbooks have them (from memory; Titan's
 * gas thins over 20 km, more than rows reach); amounts of gas by how it scatters against the earth's column;
 * colours by eye.
 */
const worlds: { title: string; air: Partial<Air> }[] = [
  {
    title: t("The earth"),
    air: {
      molecules: 1,
      molecules_scale_height_m: 8000,
      scatter_tint: [1, 1, 1],
      absorb_tint: [1, 1, 1],
      planet_radius_km: 6371,
      ozone_du: 300,
    },
  },
  {
    title: t("Thin and dusty, like Mars"),
    air: {
      molecules: 0.03,
      molecules_scale_height_m: 11_100,
      scatter_tint: [1, 1, 1],
      planet_radius_km: 3390,
      ozone_du: 0,
      dust_optical_depth: 0.5,
      dust_tint: [1, 0.72, 0.44],
      dust_scale_height_m: 10_000,
      ground_tint: [1, 0.6, 0.36],
    },
  },
  {
    title: t("Thick and orange, like Titan"),
    air: {
      molecules: 8,
      molecules_scale_height_m: 16_000,
      scatter_tint: [1, 0.75, 0.4],
      absorb_tint: [1, 0.8, 0.5],
      planet_radius_km: 2575,
      ozone_du: 0,
      visibility_km: 12,
    },
  },
  {
    title: t("Twice the air"),
    air: { molecules: 2, molecules_scale_height_m: 8000, scatter_tint: [1, 1, 1], planet_radius_km: 9000 },
  },
];

/** Air as it is worked on: haze, dust and ozone first; gas and planet are another world. */
export function AirRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const group = groupsOf(sky, schema).find((g) => g.selection === "air");
  if (!group) return null;
  const first = FIRST.flatMap((name) => group.fields.filter((f) => f.name === name));
  const rest = group.fields.filter((f) => !FIRST.includes(f.name));
  return (
    <>
      <GroupRows group={{ ...group, fields: first }} />
      <Disclosure title={t("Another world")} open={false}>
        <p className="text-quiet">{t("Begin from")}</p>
        <div className="flex flex-wrap gap-1 py-1" data-testid="worlds">
          {worlds.map(({ title, air }) => (
            <Button
              key={title}
              onClick={() =>
                change((s) => {
                  Object.assign(s.air, structuredClone(air));
                })
              }
            >
              {title}
            </Button>
          ))}
        </div>
        <GroupRows group={{ ...group, fields: rest }} />
      </Disclosure>
    </>
  );
}
