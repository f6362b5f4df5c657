import { t } from "../../../text";
import type { Schema } from "../../../data/fields";
import { anglesOf } from "../../../data/camera";
import type { LightColour, MoonPhase, Placement, Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { SwitchLine } from "../../../ui/switch-line";
import { useBench } from "../../store/bench-store";
import { sunOf, type Selection } from "../../store/selection";
import { groupsOf } from "../document-rows";
import type { Disc } from "../../preview/preview-socket";
import { GroupRows } from "./rows";

const tenth = (v: number) => Math.round(v * 10) / 10;

/** Where a light stands now, as angles by hand. */
function byHand(disc: Disc | undefined): Placement {
  const [azimuth, elevation] = disc ? anglesOf(disc.direction) : [180, 35];
  return { by: "hand", azimuth_deg: tenth(azimuth), elevation_deg: tenth(elevation) };
}

/** The rows of one object among those of a part. */
function rowsOf(sky: Sky, schema: Schema, selection: Selection) {
  const groups = groupsOf(sky, schema).filter((g) => g.selection === selection);
  return (object: object) =>
    groups.filter((g) => g.of === object).map((g) => <GroupRows key={g.selection} group={g} />);
}

/** The two ways a light is placed. */
function Placing({
  of,
  placement,
  disc,
  onChange,
}: {
  of: string;
  placement: Placement;
  disc: Disc | undefined;
  onChange: (placement: Placement) => void;
}) {
  return (
    <SwitchLine
      label={t("How the {{of}} is placed", { of })}
      value={placement.by}
      options={[
        { value: "hand", title: t("By hand") },
        { value: "place", title: t("By place and time") },
      ]}
      onChange={(by) => onChange(by === "hand" ? byHand(disc) : { by: "place" })}
    />
  );
}

/** One sun: placement, colour, and the rest. */
export function SunRows({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  const { change, select } = useBench.getState();
  const i = sunOf(selection) ?? 0;
  const disc = useBench((s) => s.frame?.discs[i]);
  const sun = sky.suns[i];
  if (!sun) return <p className="pt-2 text-quiet">{t("There is no such sun.")}</p>;
  const of = rowsOf(sky, schema, selection);
  const colours: Record<LightColour["by"], LightColour> = {
    sunlight: { by: "sunlight" },
    temperature: { by: "temperature", kelvin: 5800 },
    tint: { by: "tint", tint: [1, 1, 1] },
  };
  const set = (edit: (sun: Sky["suns"][number]) => void) =>
    change((s) => {
      const target = s.suns[i];
      if (target) edit(target);
    });
  return (
    <>
      <Placing
        of="sun"
        placement={sun.placement}
        disc={disc}
        onChange={(placement) =>
          set((s) => {
            s.placement = placement;
          })
        }
      />
      {of(sun.placement)}
      {sun.placement.by === "place" && (
        <button
          type="button"
          className="cursor-pointer text-quiet underline underline-offset-2 hover:text-ink"
          onClick={() => select("place")}
        >
          {sky.place.name || t("Place")}, {sky.place.at.slice(0, 10)} {sky.place.at.slice(11, 16)}
        </button>
      )}
      <div className="my-2 border-t border-line" />
      <SwitchLine
        label={t("Colour of the light")}
        value={sun.colour.by}
        options={[
          { value: "sunlight", title: t("Sunlight") },
          { value: "temperature", title: t("Temperature") },
          { value: "tint", title: t("Tint") },
        ]}
        onChange={(by) =>
          set((s) => {
            s.colour = colours[by as LightColour["by"]];
          })
        }
      />
      {of(sun.colour)}
      {of(sun)}
      <div className="mt-2 flex flex-wrap gap-2">
        <Button
          aria-pressed={sun.muted}
          onClick={() =>
            set((s) => {
              s.muted = !s.muted;
            })
          }
        >
          {sun.muted ? t("Show the sun") : t("Mute the sun")}
        </Button>
        {sky.suns.length < 4 && (
          <Button
            onClick={() => {
              change((s) => {
                const [azimuth, elevation] = disc ? anglesOf(disc.direction) : [180, 35];
                s.suns.push({
                  ...structuredClone(sun),
                  placement: {
                    by: "hand",
                    azimuth_deg: tenth((azimuth + 25) % 360),
                    elevation_deg: tenth(Math.min(80, elevation + 6)),
                  },
                });
              });
              select(`sun${sky.suns.length}` as Selection);
            }}
          >
            {t("One more sun")}
          </Button>
        )}
        {sky.suns.length > 1 && (
          <Button
            weight="quiet"
            onClick={() => {
              change((s) => {
                s.suns.splice(i, 1);
              });
              select(null);
            }}
          >
            {t("Remove it")}
          </Button>
        )}
      </div>
    </>
  );
}

/** The moon: whether there is one, where, its phase and light. */
export function MoonRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const { moon } = sky;
  const disc = useBench((s) => s.frame?.discs[sky.suns.length]);
  const readout = useBench((s) => s.readouts?.lights.find((l) => l.kind === "moon"));
  const of = rowsOf(sky, schema, "moon");
  const phases: Record<MoonPhase["by"], MoonPhase> = {
    time: { by: "time" },
    hand: { by: "hand", phase_deg: 0 },
  };
  if (!moon.risen)
    return (
      <div className="pt-2">
        <p className="mb-2 text-quiet">{t("This sky has no moon.")}</p>
        <Button
          onClick={() =>
            change((s) => {
              s.moon.risen = true;
            })
          }
        >
          {t("Let there be one")}
        </Button>
      </div>
    );
  return (
    <>
      <Placing
        of="moon"
        placement={moon.placement}
        disc={disc}
        onChange={(placement) =>
          change((s) => {
            s.moon.placement = placement;
          })
        }
      />
      {of(moon.placement)}
      {readout && (
        <p className="font-value text-quiet">
          {t("{{elevation_deg}}° high at {{azimuth_deg}}°", {
            elevation_deg: tenth(readout.elevation_deg),
            azimuth_deg: tenth(readout.azimuth_deg),
          })}
        </p>
      )}
      <div className="my-2 border-t border-line" />
      <SwitchLine
        label={t("Phase of the moon")}
        value={moon.phase.by}
        options={[
          { value: "time", title: t("Phase by time") },
          { value: "hand", title: t("Phase by hand") },
        ]}
        onChange={(by) =>
          change((s) => {
            s.moon.phase = phases[by as MoonPhase["by"]];
          })
        }
      />
      {of(moon.phase)}
      {of(moon)}
      <Button
        className="mt-2"
        weight="quiet"
        onClick={() =>
          change((s) => {
            s.moon.risen = false;
          })
        }
      >
        {t("No moon")}
      </Button>
    </>
  );
}
