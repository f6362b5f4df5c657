import { t } from "../../text";
import { useEffect, useRef } from "react";
import type { Schema } from "../../data/fields";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import { layerOf, sunOf, worldOf, type Selection } from "../store/selection";
import { fogName, groupsOf, sunName, worldName } from "./document-rows";
import { copied, copyPart, partOf, pastePart, resetOf, takes } from "./parts";
import { AirRows } from "./rows/air-rows";
import { CloudRows } from "./rows/cloud-rows";
import { DriftRows } from "./rows/drift-rows";
import { EyeRows } from "./rows/eye-rows";
import { GradeRows } from "./rows/grade-rows";
import { HistoryRows } from "./rows/history-rows";
import { MoonRows, SunRows } from "./rows/light-rows";
import { NightRows } from "./rows/night-rows";
import { PinRows } from "./rows/pin-rows";
import { PlaceRows } from "./rows/place-rows";
import { GroupRows } from "./rows/rows";
import { SourceRows } from "./rows/source-rows";
import { WorldRows } from "./rows/world-rows";

function titleOf(selection: Selection, sky: Sky): string {
  const sun = sunOf(selection);
  if (sun !== null) return sunName(sky, sun);
  const world = worldOf(selection);
  if (world !== null) return worldName(sky, world);
  const layer = sky.clouds[layerOf(selection, sky)];
  if (layer) return layer.name || t("Clouds");
  if (selection === "fog") return t("Low {{value}}", { value: fogName(sky.fog.visibility_km).toLowerCase() });
  const titles: Record<string, string> = {
    place: t("Place and time"),
    moon: t("Moon"),
    night: t("Stars and night"),
    worlds: t("Worlds"),
    source: t("Sky"),
    air: t("Air"),
    clouds: t("New layer"),
    drift: t("Wind and drift"),
    land: t("Trial land"),
    eye: t("Eye"),
    grade: t("Grade"),
    history: t("History"),
    pins: t("Pins"),
  };
  return titles[selection] ?? selection;
}

const hasNoFocus = () => document.activeElement === null || document.activeElement === document.body;

/** Where a part stands in the Section; of one that is gone, where others are added. */
const sectionItem = (selection: Selection) =>
  document.querySelector<SVGGElement>(`[data-testid="section-${selection}"]`) ??
  document.querySelector<SVGGElement>('[data-testid="section-clouds"]');

/** The controls of what is selected, and nothing else. */
export function Sheet({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  const select = useBench((s) => s.select);
  const title = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    // What was pressed may be gone with what it opened: the focus goes on here, and back to the Section
    // afterwards.
    const heading = title.current;
    if (hasNoFocus()) heading?.focus();
    return () => {
      if (!hasNoFocus() && !heading?.closest("aside")?.contains(document.activeElement)) return;
      queueMicrotask(() => hasNoFocus() && sectionItem(selection)?.focus());
    };
  }, [selection]);
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="sheet">
      <header className="flex items-center justify-between border-b border-line px-3 py-2">
        <h2 ref={title} tabIndex={-1} className="text-large outline-none">
          {titleOf(selection, sky)}
        </h2>
        <span className="flex">
          <PartActions selection={selection} sky={sky} schema={schema} />
          <Button
            weight="quiet"
            className="px-2"
            onClick={() => select(null)}
            aria-label={t("Fold the sheet away")}
          >
            {t("Fold")}
          </Button>
        </span>
      </header>
      <div className="min-h-0 overflow-y-auto px-3 pt-1 pb-3">
        <Controls selection={selection} sky={sky} schema={schema} />
      </div>
    </div>
  );
}

/** What can be done with the part as a whole. */
function PartActions({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const reset = resetOf(sky, selection, schema);
  return (
    <>
      {partOf(sky, selection) && (
        <Button weight="quiet" className="px-2" onClick={() => copyPart(sky, selection)}>
          {t("Copy")}
        </Button>
      )}
      {takes(sky, selection, copied()) && (
        <Button weight="quiet" className="px-2" onClick={() => pastePart(selection)}>
          {t("Paste")}
        </Button>
      )}
      {reset && (
        <Button
          weight="quiet"
          className="px-2"
          title={t("All of this sheet as usual; one undo brings it back")}
          onClick={() => change(reset)}
        >
          {t("Reset")}
        </Button>
      )}
    </>
  );
}

function Controls({ selection, sky, schema }: { selection: Selection; sky: Sky; schema: Schema }) {
  if (sunOf(selection) !== null) return <SunRows selection={selection} sky={sky} schema={schema} />;
  if (selection === "worlds" || worldOf(selection) !== null)
    return <WorldRows selection={selection} sky={sky} schema={schema} />;
  if (selection === "history") return <HistoryRows />;
  if (selection === "pins") return <PinRows />;
  if (selection === "air") return <AirRows sky={sky} schema={schema} />;
  if (selection === "place") return <PlaceRows sky={sky} schema={schema} />;
  if (selection === "night") return <NightRows sky={sky} schema={schema} />;
  if (selection === "moon") return <MoonRows sky={sky} schema={schema} />;
  if (selection === "source") return <SourceRows sky={sky} schema={schema} />;
  if (selection === "clouds" || selection.startsWith("layer-"))
    return <CloudRows selection={selection} sky={sky} schema={schema} />;
  if (selection === "drift") return <DriftRows sky={sky} schema={schema} />;
  if (selection === "eye") return <EyeRows sky={sky} schema={schema} />;
  if (selection === "grade") return <GradeRows sky={sky} schema={schema} />;
  const groups = groupsOf(sky, schema).filter((g) => g.selection === selection);
  return (
    <>
      {groups.map((g) => (
        <GroupRows key={g.owner} group={g} />
      ))}
      {(selection === "fog" || selection === "land") && (
        <Muting selection={selection} muted={sky[selection].muted} />
      )}
    </>
  );
}

function Muting({ selection, muted }: { selection: "fog" | "land"; muted: boolean }) {
  const { change } = useBench.getState();
  return (
    <Button
      className="mt-2"
      aria-pressed={muted}
      onClick={() =>
        change((s) => {
          s[selection].muted = !s[selection].muted;
        })
      }
    >
      {muted ? t("Show it") : t("Mute it")}
    </Button>
  );
}
