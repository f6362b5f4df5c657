import { t } from "../../../text";
import { usualOf, type Schema } from "../../../data/fields";
import type { Sky, StarField, Town } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { SwitchLine } from "../../../ui/switch-line";
import { useBench } from "../../store/bench-store";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

/** A bright one: class III is 100 kR. */
const AURORA_KR = 80;
const MOST_TOWNS = 8;

/** Stars, the light between them, and towns at the horizon. */
export function NightRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const { night } = sky;
  const groups = groupsOf(sky, schema).filter((g) => g.selection === "night");
  const of = (object: object) =>
    groups.filter((g) => g.of === object).map((g) => <GroupRows key={g.owner} group={g} />);
  const fields: Record<StarField["by"], StarField> = {
    place: { by: "place" },
    hand: { by: "hand", latitude_deg: sky.place.latitude_deg, hour: 18 },
    invented: {
      by: "invented",
      seed: 1,
      visible: 5000,
      bright: 1,
      colour_spread: 1,
      band: 0.4,
      band_tilt_deg: 60,
    },
  };
  return (
    <>
      <SwitchLine
        label={t("Which stars")}
        value={night.stars.field.by}
        options={[
          { value: "place", title: t("By place and time") },
          { value: "hand", title: t("By hand") },
          { value: "invented", title: t("Invented") },
        ]}
        onChange={(by) =>
          change((s) => {
            s.night.stars.field = fields[by as StarField["by"]];
          })
        }
      />
      {of(night.stars.field)}
      <div className="my-2 border-t border-line" />
      {of(night.stars)}
      <div className="my-2 border-t border-line" />
      {of(night)}
      <section className="mt-2 border-t border-line pt-1" aria-label={t("Aurora")}>
        {night.aurora.brightness_kr > 0 ? (
          <>
            <header className="flex items-center justify-between">
              <h3>{t("Aurora")}</h3>
              <Button
                weight="quiet"
                onClick={() =>
                  change((s) => {
                    s.night.aurora.brightness_kr = 0;
                  })
                }
              >
                {t("No aurora")}
              </Button>
            </header>
            {of(night.aurora)}
          </>
        ) : (
          <Button
            weight="quiet"
            onClick={() =>
              change((s) => {
                s.night.aurora.brightness_kr = AURORA_KR;
                s.night.aurora.azimuth_deg = Math.round(s.eye.heading_deg);
              })
            }
          >
            {t("Add an aurora")}
          </Button>
        )}
      </section>
      {night.towns.map((town, i) => (
        <section
          key={i}
          className="mt-2 border-t border-line pt-1"
          aria-label={t("Town {{i}}", { i: i + 1 })}
        >
          <header className="flex items-center justify-between">
            <h3>{t("Town {{i}}", { i: i + 1 })}</h3>
            <Button
              weight="quiet"
              onClick={() =>
                change((s) => {
                  s.night.towns.splice(i, 1);
                })
              }
            >
              {t("Remove it")}
            </Button>
          </header>
          {of(town)}
        </section>
      ))}
      {night.towns.length < MOST_TOWNS && (
        <Button
          className="mt-2"
          onClick={() =>
            change((s) => {
              const azimuth_deg = Math.round((s.eye.heading_deg + 15) % 360);
              s.night.towns.push({ ...(usualOf(schema, "Town") as Town), azimuth_deg });
            })
          }
        >
          {t("Add a town at the horizon")}
        </Button>
      )}
    </>
  );
}
