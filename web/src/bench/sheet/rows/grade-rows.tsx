import { exposureAt } from "../../../data/develop";
import type { Schema } from "../../../data/fields";
import { showNumber } from "../../../data/number";
import type { Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { sunElevation } from "../../preview/exposure";
import { useBench } from "../../store/bench-store";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

/** Exposure, white and curve; one exposure, or several against the sun's height. */
export function GradeRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const readouts = useBench((s) => s.readouts);
  const group = groupsOf(sky, schema).find((g) => g.selection === "grade");
  const suggested = readouts?.suggested_ev100;
  const elevation = useBench((s) => sunElevation(sky, s.frame));
  const { exposures } = sky.grade;
  const several = exposures.length > 0;
  const fields = (group?.fields ?? []).filter((f) => f.name !== "ev100" || !several);
  return (
    <>
      {group && <GroupRows group={{ ...group, fields }} />}
      {several && (
        <div className="py-1" data-testid="exposures">
          <p className="text-quiet">
            Exposure by sun height, now{" "}
            <span className="font-value text-ink">{exposureAt(sky.grade, elevation).toFixed(1)} EV</span>
          </p>
          <ul>
            {exposures.map((e, i) => (
              <li key={i} className="flex items-center justify-between gap-2 font-value">
                <span>
                  {showNumber(e.sun_elevation_deg)}° {showNumber(e.ev100)} EV
                </span>
                <button
                  type="button"
                  className="cursor-pointer text-small text-quiet hover:text-ink hover:underline"
                  onClick={() =>
                    change((s) => {
                      s.grade.exposures.splice(i, 1);
                    })
                  }
                >
                  drop
                </button>
              </li>
            ))}
          </ul>
        </div>
      )}
      <div className="mt-2 flex flex-wrap gap-2">
        {suggested !== undefined && (
          <Button
            onClick={() =>
              change((s) => {
                const ev100 = Math.round(suggested * 10) / 10;
                s.grade.ev100 = ev100;
                if (several) keep(s, elevation, ev100);
              })
            }
          >
            Take the suggested {suggested.toFixed(1)} EV
          </Button>
        )}
        {exposures.length < 8 && (
          <Button
            weight="quiet"
            onClick={() =>
              change((s) => {
                keep(s, elevation, exposureAt(s.grade, elevation));
              })
            }
          >
            Keep this exposure for a sun at {elevation.toFixed(0)}°
          </Button>
        )}
      </div>
    </>
  );
}

/** Sets the exposure for a height of the sun; one within a degree is replaced. */
function keep(sky: Sky, height: number, ev100: number) {
  const at = Math.round(height);
  const others = sky.grade.exposures.filter((e) => Math.abs(e.sun_elevation_deg - at) > 1);
  sky.grade.exposures = [...others, { sun_elevation_deg: at, ev100 }].sort(
    (a, b) => b.sun_elevation_deg - a.sun_elevation_deg,
  );
}
