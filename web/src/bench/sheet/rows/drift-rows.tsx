import { t } from "../../../text";
import type { Schema } from "../../../data/fields";
import { showNumber } from "../../../data/number";
import type { Sky } from "../../../data/sky";
import { useBench } from "../../store/bench-store";
import { groupsOf } from "../document-rows";
import { GroupRows } from "./rows";

/** The common wind and the time that has passed; says whether a loop closes. */
export function DriftRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const open = useBench((s) => s.readouts?.open_ends);
  const nameOf = (id: string) => sky.clouds.find((l) => l.id === id)?.name ?? id;
  return (
    <>
      {groupsOf(sky, schema)
        .filter((g) => g.selection === "drift")
        .map((g) => (
          <GroupRows key={g.owner} group={g} />
        ))}
      {sky.drift.loop_min > 0 && open && (
        <p className="pt-2 text-small text-quiet" data-testid="loop">
          {open.length === 0
            ? t("The loop closes: its end is its beginning.")
            : t(
                "The loop can't close: {{value}}. Fields of clouds repeat nowhere; a share of wind of 0 keeps a layer in place.",
                {
                  value: open
                    .map((o) =>
                      t("{{id}} drifts {{showNumber}} km", {
                        id: nameOf(o.id),
                        showNumber: showNumber(Math.round(o.drift_m / 100) / 10),
                      }),
                    )
                    .join(", "),
                },
              )}
        </p>
      )}
    </>
  );
}
