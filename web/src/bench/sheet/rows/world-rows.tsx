import { t } from "../../../text";
import { usualOf, type Schema } from "../../../data/fields";
import { showNumber } from "../../../data/number";
import type { Sky, World, WorldKind } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { NameField } from "../../../ui/name-field";
import { useBench } from "../../store/bench-store";
import { worldOf, worldSelection, type Selection } from "../../store/selection";
import { groupsOf, worldName } from "../document-rows";
import { GroupRows } from "./rows";

const MOST_WORLDS = 4;
const rad = Math.PI / 180;

/** Worlds to begin with: what each kind usually looks like. */
const kinds: [WorldKind, string, Partial<World>][] = [
  ["rock", t("Rock: grey and cratered"), {}],
  [
    "ice",
    t("Ice: white with dark cracks"),
    { light: [0.8, 0.85, 0.9], dark: [0.3, 0.26, 0.22], craters: 0.1, relief: 0.2 },
  ],
  [
    "dust",
    t("Dust: rusty plains under thin air"),
    {
      light: [0.6, 0.4, 0.22],
      dark: [0.25, 0.14, 0.08],
      craters: 0.3,
      air_depth: 0.015,
      air_colour: [1, 0.7, 0.45],
    },
  ],
  [
    "gas",
    t("Gas: bands, storms and rings"),
    {
      light: [0.72, 0.62, 0.46],
      dark: [0.4, 0.27, 0.16],
      relief: 0,
      radius_km: 24_000,
      air_depth: 0.02,
      air_colour: [0.9, 0.8, 0.6],
      ringed: true,
    },
  ],
  [
    "water",
    t("Water: seas, land and clouds"),
    { light: [0.3, 0.26, 0.17], dark: [0.03, 0.05, 0.1], relief: 0.1, craters: 0, air_depth: 0.03 },
  ],
  [
    "molten",
    t("Molten: dark crust over melt"),
    { light: [0.1, 0.09, 0.09], dark: [0.05, 0.045, 0.04], craters: 0.2 },
  ],
];

/** One world, or the kinds that one more can be of. */
export function WorldRows({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  const { change, select } = useBench.getState();
  const i = worldOf(selection);
  const world = i === null ? undefined : sky.worlds[i];
  const add = (kind: WorldKind, of: Partial<World>) => {
    change((s) => {
      const azimuth_deg = Math.round((s.eye.heading_deg + 8) % 360);
      const elevation_deg = Math.round(Math.max(8, Math.min(80, s.eye.pitch_deg + 6)));
      s.worlds.push({ ...(usualOf(schema, "World") as World), kind, azimuth_deg, elevation_deg, ...of });
    });
    select(worldSelection(sky.worlds.length));
  };
  const set = (edit: (world: World) => void) =>
    change((s) => {
      const target = i === null ? undefined : s.worlds[i];
      if (target) edit(target);
    });
  return (
    <>
      {world && (
        <>
          <NameField
            label={t("Name of the world")}
            name={worldName(sky, i ?? 0)}
            save={(name) =>
              set((w) => {
                w.name = name;
              })
            }
          />
          <p className="font-value text-quiet" data-testid="world-angle">
            {t("{{degrees}}° wide", {
              degrees: showNumber(
                Math.round((20 * Math.asin(Math.min(1, world.radius_km / world.distance_km))) / rad) / 10,
              ),
            })}
          </p>
          {groupsOf(sky, schema)
            .filter((g) => g.selection === selection)
            .map((g) => (
              <section key={g.owner} className="border-t border-line pt-1 first:border-0">
                <GroupRows group={g} />
              </section>
            ))}
          <div className="mt-2 flex flex-wrap gap-2">
            <Button
              aria-pressed={world.muted}
              onClick={() =>
                set((w) => {
                  w.muted = !w.muted;
                })
              }
            >
              {world.muted ? t("Show the world") : t("Mute the world")}
            </Button>
            <Button
              weight="quiet"
              onClick={() => {
                change((s) => {
                  if (i !== null) s.worlds.splice(i, 1);
                });
                select(null);
              }}
            >
              {t("Remove it")}
            </Button>
          </div>
        </>
      )}
      {sky.worlds.length < MOST_WORLDS && (
        <section className="mt-2 border-t border-line pt-2 first:border-0">
          <h3 className="text-quiet">{t("Add a world")}</h3>
          <ul>
            {kinds.map(([kind, title, of]) => (
              <li key={kind}>
                <Button weight="quiet" data-testid={`add-world-${kind}`} onClick={() => add(kind, of)}>
                  {title}
                </Button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
