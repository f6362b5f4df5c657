import { Popover } from "radix-ui";
import type { RefObject } from "react";
import { anglesOf, type View } from "../../data/camera";
import { showNumber } from "../../data/number";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import { useLooking, WEIGHTS, type Reading } from "../store/looking";
import { dipOf, guideNames, guideTitles } from "./guides";
import { saveScreen } from "./save-screen";

const signed = (v: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(1)}`;

const words = (r: Reading) => {
  const [azimuth, elevation] = anglesOf(r.direction);
  const stops = r.stops < -30 ? "black" : `${signed(r.stops)} stops`;
  return (
    `${azimuth.toFixed(1)}°, ${elevation.toFixed(1)}° high · ${showNumber(r.luminance)} cd/m² · ` +
    `${r.display.join(" ")} · ${stops}`
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
  const looking = useLooking();
  const { turn } = looking;
  const save = async () => {
    const { record, notify } = useBench.getState();
    const dip = dipOf(sky.eye.altitude_m, sky.air.planet_radius_km * 1000);
    try {
      if (canvas.current)
        await saveScreen(canvas.current, looking.guides, view, dip, record?.name ?? "Picture");
    } catch (e) {
      notify(String(e instanceof Error ? e.message : e));
    }
  };
  const switches = [
    ["panorama", "Around", "The whole sky around the camera (p)"],
    ["falseColour", "Stops", "False colour: luminance in stops from grey (t)"],
    ["clipped", "Clipped", "Hatch what is white or black in the picture (c)"],
    ["levels", "Levels", "Histogram and waveform (l)"],
    ["keeping", "Read", "A click in the Picture keeps a reading; k keeps what is pointed at"],
  ] as const;
  return (
    <div
      data-testid="picture-bar"
      className="flex min-h-7 shrink-0 items-center gap-3 border-t border-line bg-panel px-3"
    >
      <Readings />
      <span className="flex-1" />
      {switches.map(([what, title, help]) => (
        <button
          key={what}
          type="button"
          aria-pressed={looking[what]}
          title={help}
          onClick={() => turn(what)}
          className={
            "min-h-6 shrink-0 cursor-pointer border-b-2 border-transparent text-quiet hover:text-ink " +
            "aria-pressed:border-ink aria-pressed:text-ink"
          }
        >
          {title}
        </button>
      ))}
      <Guides />
      <Button weight="quiet" className="px-1" onClick={() => void save()}>
        Save picture
      </Button>
    </div>
  );
}

/** The values under the pointer, and two that were kept, with what lies between them. */
function Readings() {
  const pointed = useLooking((s) => s.pointed);
  const [a, b] = useLooking((s) => s.readings);
  const { dropReadings } = useLooking.getState();
  return (
    <div data-testid="readings" className="min-w-0 truncate font-value text-small">
      {a && (
        <>
          <span className="text-quiet">
            A {words(a)}
            {b && ` | B ${words(b)} | A to B ${signed(b.stops - a.stops)} stops`}
          </span>{" "}
          <Button weight="quiet" className="px-1" onClick={dropReadings} aria-label="Drop the kept readings">
            Drop
          </Button>
        </>
      )}
      <span data-testid="pointed">{pointed ? ` ${words(pointed)}` : ""}</span>
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
        Guides…
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Guides"
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
                  aria-label={`Weight of ${guideTitles[name].toLowerCase()}`}
                  value={guides[name].weight}
                  onChange={(e) => setGuide(name, { weight: Number(e.target.value) })}
                  className="h-6 rounded-soft border border-edge bg-bench px-1 font-value text-small"
                >
                  {WEIGHTS.map((weight) => (
                    <option key={weight} value={weight}>
                      {weight} px
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
