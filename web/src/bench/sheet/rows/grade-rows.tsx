import { t } from "../../../text";
import { useRef, useState } from "react";
import { api } from "../../../data/api";
import { exposureAt } from "../../../data/develop";
import { download } from "../../../data/download";
import { usualOf, type Schema } from "../../../data/fields";
import { noTable } from "../../../data/grade";
import { showNumber } from "../../../data/number";
import { nameOfFile } from "../../../data/starter-files";
import type { Sky, TableInput } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { SwitchLine } from "../../../ui/switch-line";
import { sunElevation } from "../../preview/exposure";
import { useBench } from "../../store/bench-store";
import { Disclosure } from "../disclosure";
import { groupsOf, type Group } from "../document-rows";
import { CurveRows } from "./curve-rows";
import { GroupRows } from "./rows";
import { WheelPad } from "./wheel";

const exposing = ["ev100", "white_k", "tint", "tone_curve"];
const wheels = [
  ["lift", t("Lift")],
  ["gamma", t("Gamma")],
  ["gain", t("Gain")],
] as const;

/** All of the grade, in parts, in the order in which they are applied. */
export function GradeRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const groups = groupsOf(sky, schema).filter((g) => g.selection === "grade");
  const own = groups.find((g) => g.owner === "Grade");
  const named = (name: string) => groups.find((g) => g.owner === name);
  const [ranges, glare] = [named(t("Ranges")), named(t("Glare of the lens"))];
  const part = (names: (name: string) => boolean) =>
    own && { ...own, fields: own.fields.filter((f) => names(f.name)) };
  const colour = part((name) => !exposing.includes(name));
  return (
    <>
      <Exposure sky={sky} group={part((name) => exposing.includes(name))} />
      <Disclosure title={t("Lens, contrast and colour")} open={false}>
        {colour && <GroupRows group={colour} />}
        {glare && (
          <section className="border-t border-line pt-1">
            <h4 className="text-quiet">{t("Glare of the lens")}</h4>
            <GroupRows group={glare} />
          </section>
        )}
      </Disclosure>
      <Disclosure title={t("Shadows, midtones, lights")} open={false}>
        {ranges && <GroupRows group={ranges} />}
      </Disclosure>
      <Disclosure title={t("Lift, gamma, gain")} open={false}>
        {wheels.map(([name, title]) => {
          const group = named(title);
          return (
            <section
              key={name}
              data-testid={`wheel-${name}`}
              className="border-t border-line py-1 first:border-0"
            >
              <h4 className="text-quiet">{title}</h4>
              <div className="flex gap-3">
                <WheelPad title={title} of={sky.grade[name]} edit={(s) => s.grade[name]} />
                <div className="min-w-0 flex-1">{group && <GroupRows group={group} />}</div>
              </div>
            </section>
          );
        })}
      </Disclosure>
      <Disclosure title={t("Drawn curves")} open={false}>
        <CurveRows sky={sky} />
      </Disclosure>
      <Disclosure title={t("A table of colours")} open={false}>
        <TakenTable sky={sky} group={named(t("Table of colours"))} />
      </Disclosure>
      <Disclosure title={t("To finish elsewhere")} open={false}>
        <Lut sky={sky} />
      </Disclosure>
      <Reset schema={schema} />
    </>
  );
}

/** Exposure, white and tone curve; one exposure, or several against the sun's height. */
function Exposure({ sky, group }: { sky: Sky; group: Group | undefined }) {
  const { change } = useBench.getState();
  const readouts = useBench((s) => s.readouts);
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
            {t("Exposure by sun height, now")}{" "}
            <span className="font-value text-ink">
              {t("{{value}} EV", { value: exposureAt(sky.grade, elevation).toFixed(1) })}
            </span>
          </p>
          <ul>
            {exposures.map((e, i) => (
              <li key={i} className="flex items-center justify-between gap-2 font-value">
                <span>
                  {t("{{sun_elevation_deg}}° {{ev100}} EV", {
                    sun_elevation_deg: showNumber(e.sun_elevation_deg),
                    ev100: showNumber(e.ev100),
                  })}
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
                  {t("Delete")}
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
            {t("Take the suggested {{suggested}} EV", { suggested: suggested.toFixed(1) })}
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
            {t("Keep this exposure for a sun at {{elevation}}°", { elevation: elevation.toFixed(0) })}
          </Button>
        )}
      </div>
    </>
  );
}

/** A table of colours that is brought in, and how much of it is seen. */
function TakenTable({ sky, group }: { sky: Sky; group: Group | undefined }) {
  const file = useRef<HTMLInputElement>(null);
  const { change, notify } = useBench.getState();
  const { table } = sky.grade;
  const take = async (chosen: File) => {
    try {
      const taken = await api.table(chosen, table.input);
      const name = taken.name || nameOfFile(chosen.name);
      change((s) => {
        s.grade.table = { ...taken, name };
      });
    } catch (e) {
      notify(
        t("{{name}} can't be taken: {{value}}", {
          name: chosen.name,
          value: e instanceof Error ? e.message : String(e),
        }),
      );
    }
  };
  return (
    <div data-testid="taken-table">
      {table.size > 0 && (
        <p className="py-1">
          {table.name}, <span className="font-value">{table.size}</span>
          {t(" values a side")}
        </p>
      )}
      {group && <GroupRows group={group} />}
      <div className="mt-1 flex gap-2">
        <Button onClick={() => file.current?.click()}>{t("Bring in a .cube…")}</Button>
        {table.size > 0 && (
          <Button
            weight="quiet"
            onClick={() =>
              change((s) => {
                s.grade.table = { ...noTable };
              })
            }
          >
            {t("Delete")}
          </Button>
        )}
        <input
          ref={file}
          type="file"
          accept=".cube"
          aria-label={t("A table of colours")}
          className="hidden"
          onChange={(e) => {
            const [chosen] = e.target.files ?? [];
            if (chosen) void take(chosen);
            e.target.value = "";
          }}
        />
      </div>
    </div>
  );
}

/** The grade as a table of colours. */
function Lut({ sky }: { sky: Sky }) {
  const [input, setInput] = useState<TableInput>("log");
  const { record, notify } = useBench.getState();
  const take = async (size: 33 | 65) => {
    const name = record?.name ?? t("Grade");
    try {
      download(await api.lut(sky, size, input, name), `${name} ${input} ${size}`, "cube");
    } catch (e) {
      notify(t("The table can't be made: {{value}}", { value: e instanceof Error ? e.message : String(e) }));
    }
  };
  return (
    <div data-testid="lut">
      <SwitchLine
        label={t("What the table takes")}
        value={input}
        options={[
          { value: "log", title: t("Scene light") },
          { value: "display", title: t("Display values") },
        ]}
        onChange={(v) => setInput(v as TableInput)}
      />
      <p className="text-small text-quiet">
        {input === "log"
          ? t("Stops from grey, from -10 to +8 as 0 to 1: all of the grade but its exposure.")
          : t("Ranges, lift, gamma, gain and curves alone.")}
      </p>
      <div className="mt-1 flex gap-2">
        <Button onClick={() => void take(33)}>{t(".cube, 33")}</Button>
        <Button onClick={() => void take(65)}>{t(".cube, 65")}</Button>
      </div>
    </div>
  );
}

/** All of the grade as usual, but for what exposes the picture. */
function Reset({ schema }: { schema: Schema }) {
  const { change } = useBench.getState();
  const reset = () =>
    change((s) => {
      const { ev100, exposures } = s.grade;
      Object.assign(s.grade, usualOf(schema, "Grade"), { ev100, exposures });
    });
  return (
    <Button weight="quiet" className="mt-3" onClick={reset}>
      {t("Reset all but the exposure")}
    </Button>
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
