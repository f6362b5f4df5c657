import { t } from "../../text";
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Strip } from "../../data/api";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { FirstHint } from "../../ui/first-hints";
import { useBench } from "../store/bench-store";
import { followers, lightAt, moonAt, pointAt, sunFollows, tieAll } from "./day-state";
import { clock, HEIGHT, Hours, minuteAt, placing } from "./hours";
import { MoonGlyph } from "./moon-glyph";
import { atMinute, minuteOf, useDay } from "./use-day";

/** The day as a curve over a ribbon of the sky's own colours; dragging it is time. */
export function Day({ sky }: { sky: Sky }) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(700);
  const day = useDay(sky);
  const { settle, select } = useBench.getState();
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const x = placing(width);
  const minute = minuteOf(sky.place.at);
  const drag = (e: PointerEvent<SVGSVGElement>) => {
    const left = e.currentTarget.getBoundingClientRect().left;
    moveTime(minuteAt(width, e.clientX - left), true);
  };
  const keys = (e: KeyboardEvent) => {
    const step = {
      ArrowRight: 10,
      ArrowUp: 10,
      ArrowLeft: -10,
      ArrowDown: -10,
      PageUp: 60,
      PageDown: -60,
      Home: -minute,
      End: 1439 - minute,
    }[e.key];
    if (step === undefined) return;
    e.preventDefault();
    moveTime(minute + step, false);
  };
  const all = followers(sky);
  const bound = all.some((f) => f.follows);
  const byHand = all.filter((f) => !f.follows).map((f) => f.name);
  return (
    <div
      ref={box}
      data-testid="day"
      data-bound={bound}
      className="relative min-w-0 flex-1 bg-panel select-none"
    >
      <FirstHint name="day" className="top-6 right-2" />
      <div
        className={
          "absolute top-0 right-3 left-[30px] z-10 flex h-[18px] items-center gap-2 text-[12px] " +
          "whitespace-nowrap"
        }
      >
        {bound ? (
          <>
            <span className="font-value">{clock(minute)}</span>
            {day && <State sky={sky} day={day} minute={minute} />}
            {byHand.length > 0 && (
              <span className="min-w-0 truncate text-quiet" title={byHand.join(", ")}>
                {t("by hand: {{names}}", { names: byHand.join(", ") })}
              </span>
            )}
          </>
        ) : (
          <span>{t("Nothing follows the time")}</span>
        )}
        {byHand.length > 0 && (
          <Button
            weight="quiet"
            className="px-1 py-0 underline"
            data-testid="day-tie"
            onClick={() => useBench.getState().change(tieAll)}
          >
            {bound ? t("Tie all") : t("Tie sun, moon and stars to it")}
          </Button>
        )}
      </div>
      <svg
        width={width}
        height={HEIGHT}
        className={`block cursor-ew-resize touch-none ${bound ? "" : "opacity-40"}`}
        role="slider"
        tabIndex={0}
        aria-label={t("Time of day")}
        aria-valuemin={0}
        aria-valuemax={1439}
        aria-valuenow={minute}
        aria-valuetext={[
          `${clock(minute)}${sky.place.name ? t(" at {{name}}", { name: sky.place.name }) : ""}`,
          day && sunFollows(sky) ? lightAt(day, minute) : "",
          byHand.length > 0 ? t("by hand: {{names}}", { names: byHand.join(", ") }) : "",
        ]
          .filter(Boolean)
          .join(", ")}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          drag(e);
        }}
        onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && drag(e)}
        onPointerUp={() => settle()}
        onDoubleClick={() => select("place")}
        onKeyDown={keys}
      >
        {day && (
          <Hours
            strip={day}
            width={width}
            sunFollows={sunFollows(sky)}
            moonFollows={sky.moon.risen ? sky.moon.placement.by === "place" : null}
          />
        )}
        {/* dark under light, so that the hour shows on any colour */}
        {[
          { stroke: "#000", strokeOpacity: 0.5, strokeWidth: 4 },
          { stroke: "var(--color-accent-light)", strokeWidth: 1.5 },
        ].map((look) => (
          <line key={look.stroke} x1={x(minute)} x2={x(minute)} y1={19} y2={HEIGHT - 14} {...look} />
        ))}
      </svg>
    </div>
  );
}

/** What light the hour has, and how the moon stands. */
function State({ sky, day, minute }: { sky: Sky; day: Strip; minute: number }) {
  const point = pointAt(day, minute);
  const moon = point ? moonAt(sky, point) : "";
  return (
    <span data-testid="day-state" className="flex items-center gap-2">
      {sunFollows(sky) && <span>{lightAt(day, minute)}</span>}
      {moon && point && (
        <span className="flex items-center gap-1 text-quiet">
          {sky.moon.risen && <MoonGlyph lit={point.moon_lit} waxing={point.moon_waxing} />}
          {moon}
        </span>
      )}
    </span>
  );
}

/** Sets the minute of the day. What follows place and time moves; if nothing does, all begin to. */
function moveTime(minute: number, moving: boolean) {
  const { sky, change, notify } = useBench.getState();
  if (!sky) return;
  const follows = followers(sky).some((f) => f.follows);
  if (!follows) notify(t("Sun, moon and stars follow place and time now; one undo sets them free again."));
  change((s) => {
    s.place.at = atMinute(s.place.at, minute);
    if (!follows) tieAll(s);
  }, moving);
}
