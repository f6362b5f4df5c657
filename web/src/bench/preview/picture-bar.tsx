import { t } from "../../text";
import { Popover } from "radix-ui";
import type { RefObject } from "react";
import { anglesOf, type View } from "../../data/camera";
import { showNumber } from "../../data/number";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import { useLooking, WEIGHTS, type Reading } from "../store/looking";
import { dipUnder, guideNames, guideTitles } from "./guides";
import { saveScreen } from "./save-screen";

const signed = (v: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(1)}`;

const words = (r: Reading) => {
  const [azimuth, elevation] = anglesOf(r.direction);
  const stops = r.stops < -30 ? "black" : t("{{stops}} stops", { stops: signed(r.stops) });
  return (
    t("{{azimuth}}°, {{elevation}}° high · {{luminance}} cd/m² · ", {
      azimuth: azimuth.toFixed(1),
      elevation: elevation.toFixed(1),
      luminance: showNumber(r.luminance),
    }) + `${r.display.join(" ")} · ${stops}`
  );
};

/** Under the Picture: what lies under the pointer, what was kept, and how the Picture is looked at. */
export function PictureBar({
  sky,
  view,
  canvas,
}: {
  sky: Sky;
  view: View;
  canvas: RefObject<HTMLCanvasElement | null>;
}) {
  const { turn } = useLooking.getState();
  const save = async () => {
    const { record, notify } = useBench.getState();
    const { guides } = useLooking.getState();
    try {
      if (canvas.current)
        await saveScreen(canvas.current, guides, view, dipUnder(sky), record?.name ?? t("Picture"));
    } catch (e) {
      notify(String(e instanceof Error ? e.message : e));
    }
  };
  const switches = [
    ["panorama", t("Around"), t("The whole sky around the camera (p)")],
    ["falseColour", t("Stops"), t("False colour: luminance in stops from grey (t)")],
    ["clipped", t("Clipped"), t("Hatch what is white or black in the picture (c)")],
    ["levels", t("Levels"), t("Histogram and waveform (l)")],
    ["keeping", t("Read"), t("A click in the Picture keeps a reading; k keeps what is pointed at")],
  ] as const;
  return (
    <div className="shrink-0 border-t border-line bg-panel px-3" data-testid="picture-bar">
      <KeptReadings />
      <div className="flex min-h-7 items-center gap-3">
        <Stage />
        <Pointed />
        <span className="flex-1" />
        {switches.map(([what, title, help]) => (
          <Switch key={what} what={what} title={title} help={help} turn={() => turn(what)} />
        ))}
        <Guides />
        <Button weight="quiet" className="px-1" onClick={() => void save()}>
          {t("Save picture")}
        </Button>
      </div>
    </div>
  );
}

/** A way to look that is on or off. */
function Switch({
  what,
  title,
  help,
  turn,
}: {
  what: "panorama" | "falseColour" | "clipped" | "levels" | "keeping";
  title: string;
  help: string;
  turn: () => void;
}) {
  const on = useLooking((s) => s[what]);
  return (
    <button
      type="button"
      aria-pressed={on}
      title={help}
      onClick={turn}
      className={
        "min-h-6 shrink-0 cursor-pointer border-b-2 border-transparent text-quiet hover:text-ink " +
        "aria-pressed:border-ink aria-pressed:text-ink"
      }
    >
      {title}
    </button>
  );
}

const stages = { coarse: t("coarse"), refined: t("refining"), smooth: t("refined"), readings: t("refined") };

/** How far the Picture is. */
function Stage() {
  const stage = useBench((s) => s.frame?.stage);
  return (
    <p data-testid="stage" className="w-14 shrink-0 text-small text-quiet">
      {stage ? stages[stage] : t("drawing")}
    </p>
  );
}

/** The values under the pointer. */
function Pointed() {
  const pointed = useLooking((s) => s.pointed);
  return (
    <p data-testid="pointed" className="min-w-0 truncate font-value text-small">
      {pointed ? words(pointed) : ""}
    </p>
  );
}

/** Readings that were kept, side by side, and what lies between them. */
function KeptReadings() {
  const [a, b] = useLooking((s) => s.readings);
  const { dropReadings } = useLooking.getState();
  if (!a) return null;
  return (
    <div
      role="status"
      aria-label={t("Kept readings")}
      data-testid="readings"
      className="flex min-h-7 flex-wrap items-center gap-x-5 border-b border-line font-value text-small"
    >
      <span>{t("A {{reading}}", { reading: words(a) })}</span>
      {b && <span>{t("B {{reading}}", { reading: words(b) })}</span>}
      {b && (
        <span className="text-quiet">
          {t("A to B {{signed}} stops", { signed: signed(b.stops - a.stops) })}
        </span>
      )}
      <Button weight="quiet" className="ml-auto px-1" onClick={dropReadings}>
        {t("Drop")}
      </Button>
    </div>
  );
}

/** Which lines of composition lie over the Picture, and how thick. */
function Guides() {
  const guides = useLooking((s) => s.guides);
  const { setGuide } = useLooking.getState();
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-6 shrink-0 cursor-pointer text-quiet hover:text-ink">
        {t("Guides…")}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label={t("Guides")}
          data-own-keys
          className="z-30 w-72 rounded-soft border border-line bg-panel p-3 shadow-float"
        >
          <ul>
            {guideNames.map((name) => (
              <li key={name} className="flex min-h-7 items-center justify-between gap-2">
                <label className="flex cursor-pointer items-center gap-2">
                  <input
                    type="checkbox"
                    checked={guides[name].on}
                    onChange={(e) => setGuide(name, { on: e.target.checked })}
                    className="accent-[var(--color-accent)]"
                  />
                  {guideTitles[name]}
                </label>
                <select
                  aria-label={t("Weight of {{value}}", { value: guideTitles[name].toLowerCase() })}
                  value={guides[name].weight}
                  onChange={(e) => setGuide(name, { weight: Number(e.target.value) })}
                  className="h-6 rounded-soft border border-edge bg-bench px-1 font-value text-small"
                >
                  {WEIGHTS.map((weight) => (
                    <option key={weight} value={weight}>
                      {t("{{weight}} px", { weight })}
                    </option>
                  ))}
                </select>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
