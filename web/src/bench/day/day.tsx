import { t } from "../../text";
import { memo, useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Strip } from "../../data/api";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { FirstHint } from "../../ui/first-hints";
import { useBench } from "../store/bench-store";
import { atMinute, minuteOf, useDay } from "./use-day";

const HEIGHT = 132;
/** The ribbon of the sky's colours lies under the curves. */
const RIBBON = { top: 84, row: 11 };
const CURVES = { top: 16, bottom: 80, low: -20 };
const LEFT = 30;
const RIGHT = 12;

const clock = (minute: number) => {
  const whole = Math.round(minute);
  return `${String(Math.floor(whole / 60)).padStart(2, "0")}:${String(whole % 60).padStart(2, "0")}`;
};

/** Elevations whose colour the ribbon shows, across from the sun. */
const ribbonNames = ["70°", "25°", "5°"];

const eventNames: Record<string, string> = { sunrise: t("rise"), noon: t("noon"), sunset: t("set") };

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
    moveTime(((e.clientX - left - LEFT) / (width - LEFT - RIGHT)) * 1440, true);
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
  const bound = sky.suns.some((s) => s.placement.by === "place");
  return (
    <div
      ref={box}
      data-testid="day"
      data-bound={bound}
      className="relative min-w-0 flex-1 bg-panel select-none"
    >
      <FirstHint name="day" className="top-6 right-2" />
      {!bound && (
        <p className="absolute top-0 left-8 z-10 flex items-baseline gap-1">
          {t("Sun set by hand")}
          <Button weight="quiet" className="px-1 py-0 underline" onClick={tie}>
            {t("Tie it to place and time")}
          </Button>
        </p>
      )}
      <svg
        width={width}
        height={HEIGHT}
        className={`block cursor-ew-resize touch-none ${bound ? "" : "opacity-60"}`}
        role="slider"
        tabIndex={0}
        aria-label={t("Time of day")}
        aria-valuemin={0}
        aria-valuemax={1439}
        aria-valuenow={minute}
        aria-valuetext={`${clock(minute)}${sky.place.name ? t(" at {{name}}", { name: sky.place.name }) : ""}${
          bound ? "" : t(", sun set by hand")
        }`}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          drag(e);
        }}
        onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && drag(e)}
        onPointerUp={() => settle()}
        onDoubleClick={() => select("place")}
        onKeyDown={keys}
      >
        {day && <Hours strip={day} width={width} />}
        <text x={LEFT} y={11} fill="#b9b9b9" fontSize={10.5} visibility={bound ? "visible" : "hidden"}>
          {sky.place.name}
        </text>
        {/* dark under light, so that the hour shows on any colour */}
        {[
          { stroke: "#000", strokeOpacity: 0.5, strokeWidth: 4 },
          { stroke: "var(--color-accent-light)", strokeWidth: 1.5 },
        ].map((look) => (
          <line key={look.stroke} x1={x(minute)} x2={x(minute)} y1={4} y2={HEIGHT - 14} {...look} />
        ))}
        <text
          x={x(minute) + (minute > 1300 ? -6 : 6)}
          y={13}
          textAnchor={minute > 1300 ? "end" : "start"}
          fill="#ececec"
          fontSize={11.5}
          fontFamily="var(--font-value)"
        >
          {clock(minute)}
        </text>
      </svg>
    </div>
  );
}

/**
 * Sets the minute of the day. What follows place and time moves; if nothing does, the first sun begins to.
 */
function moveTime(minute: number, moving: boolean) {
  const { sky, change, notify } = useBench.getState();
  if (!sky) return;
  const follows = sky.suns.some((s) => s.placement.by === "place");
  if (!follows) notify(t("The sun follows its place and time now; one undo sets it free again."));
  change((s) => {
    s.place.at = atMinute(s.place.at, minute);
    const sun = s.suns[0];
    if (!follows && sun) sun.placement = { by: "place" };
  }, moving);
}

/** The first sun follows place and time from now on. */
function tie() {
  useBench.getState().change((s) => {
    const sun = s.suns[0];
    if (sun) sun.placement = { by: "place" };
  });
}

/** Where a minute stands. */
const placing = (width: number) => (minute: number) => LEFT + ((width - LEFT - RIGHT) * minute) / 1440;

/** Curves and ribbon; they stay while a hand moves what does not change the day. */
const Hours = memo(function Hours({ strip, width }: { strip: Strip; width: number }) {
  const x = placing(width);
  const { points, events, spans } = strip.day;
  const top = Math.max(30, ...points.map((p) => Math.max(p.sun_elevation_deg, p.moon_elevation_deg))) + 4;
  const y = (e: number) =>
    CURVES.bottom - ((CURVES.bottom - CURVES.top) * (e - CURVES.low)) / (top - CURVES.low);
  const line = (height: (p: (typeof points)[number]) => number) =>
    points.map((p) => `${x(p.minute).toFixed(1)},${y(height(p)).toFixed(1)}`).join(" ");
  const cell = (x(1440) - x(0)) / strip.ribbon.length;
  return (
    <>
      {spans.map(([kind, from, to]) => (
        <g key={`${kind}${from}`}>
          <rect
            x={x(from)}
            width={x(to) - x(from)}
            y={CURVES.top}
            height={CURVES.bottom - CURVES.top}
            fill="#ececec"
            fillOpacity={{ golden: 0.13, blue: 0.07, night: 0 }[kind]}
          />
          {kind === "night" && (
            <line
              x1={x(from)}
              x2={x(to)}
              y1={CURVES.bottom}
              y2={CURVES.bottom}
              stroke="#b9b9b9"
              strokeDasharray="1 4"
            />
          )}
          {kind !== "blue" && x(to) - x(from) > 34 && (
            <text
              x={(x(from) + x(to)) / 2}
              y={CURVES.top + 9}
              textAnchor="middle"
              fill="#b9b9b9"
              fontSize={10.5}
            >
              {kind === "golden" ? t("golden") : t("night")}
            </text>
          )}
        </g>
      ))}
      <line x1={x(0)} x2={x(1440)} y1={y(0)} y2={y(0)} stroke="#8a8a8a" />
      <text
        x={LEFT - 6}
        y={y(0) + 3.5}
        textAnchor="end"
        fill="#b9b9b9"
        fontSize={10.5}
        fontFamily="var(--font-value)"
      >
        0°
      </text>
      <text
        x={LEFT - 6}
        y={CURVES.top + 6}
        textAnchor="end"
        fill="#b9b9b9"
        fontSize={10.5}
        fontFamily="var(--font-value)"
      >
        {Math.round(top)}°
      </text>
      <clipPath id="day-curves">
        <rect width={x(1440)} height={CURVES.bottom} />
      </clipPath>
      <polyline
        clipPath="url(#day-curves)"
        points={line((p) => p.moon_elevation_deg)}
        fill="none"
        stroke="#b9b9b9"
        strokeDasharray="3 3"
      />
      <polyline
        clipPath="url(#day-curves)"
        points={line((p) => p.sun_elevation_deg)}
        fill="none"
        stroke="#ececec"
        strokeWidth={1.5}
      />
      {(["sun", "moon"] as const).map((body) => {
        // At the highest point, the sun's over its curve and the moon's under it.
        const height = (p: (typeof points)[number]) => p[`${body}_elevation_deg`];
        const top = points.reduce((a, b) => (height(b) > height(a) ? b : a));
        return (
          <text
            key={body}
            x={x(top.minute)}
            y={y(height(top)) + (body === "sun" ? -3 : 10)}
            textAnchor="middle"
            fill="#b9b9b9"
            fontSize={10}
          >
            {body === "sun" ? t("sun") : t("moon")}
          </text>
        );
      })}
      {ribbonNames.map((name, i) => (
        <text
          key={name}
          x={LEFT - 4}
          y={RIBBON.top + (i + 0.5) * RIBBON.row + 3.5}
          textAnchor="end"
          fill="#b9b9b9"
          fontSize={9.5}
        >
          {name}
        </text>
      ))}
      {strip.ribbon.map((hour) => (
        <g key={hour.minute} aria-hidden>
          {hour.colours.map((c, i) => (
            <rect
              key={i}
              x={x(hour.minute) - cell / 2}
              width={cell + 0.6}
              y={RIBBON.top + i * RIBBON.row}
              height={RIBBON.row + 0.4}
              fill={`rgb(${c.join(" ")})`}
            />
          ))}
        </g>
      ))}
      {events
        .filter(([event]) => event in eventNames)
        .map(([event, at]) => (
          <text
            key={event}
            x={x(at)}
            y={HEIGHT - 3}
            textAnchor="middle"
            fill="#b9b9b9"
            fontSize={10.5}
            fontFamily="var(--font-value)"
          >
            {eventNames[event]} {clock(at)}
          </text>
        ))}
    </>
  );
});
