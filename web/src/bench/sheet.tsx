import { useEffect, useRef } from "react";
import type { Schema } from "../data/fields";
import type { Sky } from "../data/sky";
import { Button } from "../parts/button";
import { layerOf, sunOf, useBench, type Part } from "./bench-store";
import { fogName, groupsOf, sunName } from "./groups";
import { CloudRows } from "./rows/cloud-rows";
import { DriftRows } from "./rows/drift-rows";
import { GradeRows } from "./rows/grade-rows";
import { MoonRows, SunRows } from "./rows/light-rows";
import { PlaceRows } from "./rows/place-rows";
import { GroupRows } from "./rows/rows";
import { SourceRows } from "./rows/source-rows";

function titleOf(part: Part, sky: Sky): string {
  const sun = sunOf(part);
  if (sun !== null) return sunName(sky, sun);
  const layer = sky.clouds[layerOf(part, sky)];
  if (layer) return layer.name || "Clouds";
  if (part === "fog") return `Low ${fogName(sky.fog.visibility_km).toLowerCase()}`;
  const titles: Record<string, string> = {
    place: "Place and time",
    moon: "Moon",
    source: "Sky",
    air: "Air",
    clouds: "New layer",
    drift: "Wind and drift",
    land: "Trial land",
    eye: "Eye",
    grade: "Grade",
  };
  return titles[part] ?? part;
}

const hasNoFocus = () => document.activeElement === null || document.activeElement === document.body;

/** Where a part stands in the Section; of one that is gone, where others are added. */
const sectionItem = (part: Part) =>
  document.querySelector<SVGGElement>(`[data-testid="section-${part}"]`) ??
  document.querySelector<SVGGElement>('[data-testid="section-clouds"]');

/** The controls of what is selected, and nothing else. */
export function Sheet({ part, sky, schema }: { part: Part; sky: Sky; schema: Schema }) {
  const select = useBench((s) => s.select);
  const title = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    // What was pressed may be gone with what it opened: the focus goes on here, and back to the Section
    // afterwards.
    const heading = title.current;
    if (hasNoFocus()) heading?.focus();
    return () => {
      if (!hasNoFocus() && !heading?.closest("aside")?.contains(document.activeElement)) return;
      queueMicrotask(() => hasNoFocus() && sectionItem(part)?.focus());
    };
  }, [part]);
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="sheet">
      <header className="flex items-center justify-between border-b border-line px-3 py-2">
        <h2 ref={title} tabIndex={-1} className="text-large outline-none">
          {titleOf(part, sky)}
        </h2>
        <Button weight="quiet" onClick={() => select(null)} aria-label="Fold the sheet away">
          Fold
        </Button>
      </header>
      <div className="min-h-0 overflow-y-auto px-3 pt-1 pb-3">
        <Controls part={part} sky={sky} schema={schema} />
      </div>
    </div>
  );
}

function Controls({ part, sky, schema }: { part: Part; sky: Sky; schema: Schema }) {
  if (sunOf(part) !== null) return <SunRows part={part} sky={sky} schema={schema} />;
  if (part === "place") return <PlaceRows sky={sky} schema={schema} />;
  if (part === "moon") return <MoonRows sky={sky} schema={schema} />;
  if (part === "source") return <SourceRows sky={sky} schema={schema} />;
  if (part === "clouds" || part.startsWith("layer-"))
    return <CloudRows part={part} sky={sky} schema={schema} />;
  if (part === "drift") return <DriftRows sky={sky} schema={schema} />;
  if (part === "grade") return <GradeRows sky={sky} schema={schema} />;
  const groups = groupsOf(sky, schema).filter((g) => g.part === part);
  return (
    <>
      {groups.map((g) => (
        <GroupRows key={g.owner} group={g} />
      ))}
      {(part === "fog" || part === "land") && <Muting part={part} muted={sky[part].muted} />}
    </>
  );
}

function Muting({ part, muted }: { part: "fog" | "land"; muted: boolean }) {
  const { change } = useBench.getState();
  return (
    <Button
      className="mt-2"
      aria-pressed={muted}
      onClick={() =>
        change((s) => {
          s[part].muted = !s[part].muted;
        })
      }
    >
      {muted ? "Show it" : "Mute it"}
    </Button>
  );
}
