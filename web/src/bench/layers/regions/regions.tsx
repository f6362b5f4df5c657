import { t } from "../../../text";
import { useRef, useState } from "react";
import { fieldsOf, words, type Schema } from "../../../data/fields";
import type { CloudLayer, CoverRegion, Sky } from "../../../data/sky";
import { Button } from "../../../ui/button";
import { useBench } from "../../store/bench-store";
import { Rows } from "../../sheet/rows/rows";
import { moveTo, Plan } from "./plan";
import { drawnRegion, imageRegion, nameOf, newRegion } from "./shapes";

const MOST = 24;

/** Where a layer has more or less cover: outlines on a plan, and an image. */
export function Regions({ sky, index, schema }: { sky: Sky; index: number; schema: Schema }) {
  const { change, settle, notify } = useBench.getState();
  const discs = useBench((s) => s.frame?.discs);
  const [chosen, setChosen] = useState<number | null>(null);
  const [drawing, setDrawing] = useState(false);
  const file = useRef<HTMLInputElement>(null);
  const layer = sky.clouds[index];
  if (!layer) return null;
  const sun = discs?.[0]?.direction;
  const edit = (then: (l: CloudLayer) => void, moving = false) =>
    change((s) => {
      const l = s.clouds[index];
      if (l) then(l);
    }, moving);
  const add = (region: CoverRegion) => {
    edit((l) => l.regions.push(region));
    setChosen(layer.regions.length);
  };
  const full = layer.regions.length >= MOST;
  const region = chosen === null ? undefined : layer.regions[chosen];
  return (
    <div data-testid="regions">
      <Plan
        sky={sky}
        layer={layer}
        sun={sun}
        chosen={chosen}
        drawing={drawing}
        onChoose={setChosen}
        onMove={(i, to) => edit((l) => moveTo(l, sky, sun, i, to), true)}
        onSettle={settle}
        onDrawn={(line) => {
          setDrawing(false);
          const drawn = drawnRegion(line, layer);
          if (drawn) add(drawn);
          else notify(t("An outline needs at least three corners: press and draw around."));
        }}
      />
      {!full && (
        <div className="flex flex-wrap gap-1 py-1" role="group" aria-label={t("Add a region")}>
          {(["disc", "wedge", "band"] as const).map((shape) => (
            <Button key={shape} weight="quiet" onClick={() => add(newRegion(shape, layer))}>
              {words(shape)}
            </Button>
          ))}
          <Button weight="quiet" aria-pressed={drawing} onClick={() => setDrawing(!drawing)}>
            {drawing ? t("Draw on the plan") : t("Freehand")}
          </Button>
          <Button weight="quiet" onClick={() => file.current?.click()}>
            {t("Image…")}
          </Button>
          <input
            ref={file}
            type="file"
            accept="image/*"
            className="hidden"
            aria-label={t("Image of cover")}
            onChange={(e) => {
              const image = e.target.files?.[0];
              e.target.value = "";
              if (image)
                imageRegion(image, layer).then(add, () =>
                  notify(t("{{name}} is no image that can be read.", { name: image.name })),
                );
            }}
          />
        </div>
      )}
      <ul>
        {layer.regions.map((r, i) => (
          <li key={i}>
            <button
              type="button"
              aria-expanded={chosen === i}
              className={`w-full cursor-pointer py-[2px] text-left hover:underline ${r.muted ? "text-quiet line-through" : ""} ${chosen === i ? "underline underline-offset-4" : ""}`}
              onClick={() => setChosen(chosen === i ? null : i)}
            >
              {nameOf(r)}
            </button>
          </li>
        ))}
      </ul>
      {region && chosen !== null && (
        <div className="border-t border-line pt-1" data-testid="region">
          <label className="flex items-baseline justify-between gap-2 py-1 text-quiet">
            {t("Name")}
            <input
              className="w-40 bg-transparent text-right text-ink"
              maxLength={120}
              placeholder={nameOf(region)}
              value={region.name}
              onChange={(e) =>
                edit((l) => {
                  const r = l.regions[chosen];
                  if (r) r.name = e.target.value;
                }, true)
              }
              onBlur={settle}
            />
          </label>
          <Rows
            fields={fieldsOf(schema, "CoverRegion").filter((f) => f.kind !== "switch")}
            of={region}
            edit={(s) => s.clouds[index]?.regions[chosen]}
          />
          <Rows
            fields={fieldsOf(schema, "Outline", region.outline.shape).filter((f) => f.name !== "texels")}
            of={region.outline}
            edit={(s) => s.clouds[index]?.regions[chosen]?.outline}
          />
          <div className="flex gap-2 py-1">
            <Button
              aria-pressed={region.muted}
              onClick={() =>
                edit((l) => {
                  const r = l.regions[chosen];
                  if (r) r.muted = !r.muted;
                })
              }
            >
              {region.muted ? t("Show the region") : t("Mute the region")}
            </Button>
            <Button
              weight="quiet"
              onClick={() => {
                edit((l) => l.regions.splice(chosen, 1));
                setChosen(null);
              }}
            >
              {t("Remove the region")}
            </Button>
          </div>
        </div>
      )}
    </div>
  );
}
