import { memo } from "react";
import { t } from "../../text";
import type { DayPoint, DaySpan, Strip } from "../../data/api";
import { TWILIGHTS, twilightName } from "./day-state";
import { namePlaces, withRoom } from "./labels";

export const HEIGHT = 132;
/** The ribbon of the sky's colours lies under the curves. */
const RIBBON = { top: 84, row: 11 };
const CURVES = { top: 19, bottom: 80, low: -20 };
/** Height of the bar of twilights, px. */
const BAR = 4;
const LEFT = 30;
const RIGHT = 12;

/** Minutes as hours and minutes. */
export const clock = (minute: number) => {
  const whole = Math.round(minute);
  return `${String(Math.floor(whole / 60)).padStart(2, "0")}:${String(whole % 60).padStart(2, "0")}`;
};

/** Where a minute stands, px. */
export const placing = (width: number) => (minute: number) => LEFT + ((width - LEFT - RIGHT) * minute) / 1440;

/** The minute at a place, px from the left. */
export const minuteAt = (width: number, x: number) => ((x - LEFT) / (width - LEFT - RIGHT)) * 1440;

/** Elevations whose colour the ribbon shows, across from the sun. */
const ribbonNames = ["70°", "25°", "5°"];

/** Events with a name under the ribbon, those that matter most first. */
const eventNames: [string, string][] = [
  ["sunrise", t("rise")],
  ["sunset", t("set")],
  ["darkest", t("darkest")],
  ["noon", t("noon")],
  ["moonrise", t("moonrise")],
  ["moonset", t("moonset")],
];

/** Light of the bar: the brighter the sky, the lighter. */
const barOpacity: Partial<Record<DaySpan, number>> = {
  civil: 0.5,
  nautical: 0.28,
  astronomical: 0.14,
  night: 0.04,
};
const spanOpacity: Partial<Record<DaySpan, number>> = { golden: 0.13, blue: 0.07 };

const small = { fill: "#b9b9b9", fontSize: 10.5 };

/** Curves and ribbon; they stay while a hand moves what does not change the day. */
export const Hours = memo(function Hours({
  strip,
  width,
  sunFollows,
  moonFollows,
}: {
  strip: Strip;
  width: number;
  sunFollows: boolean;
  /** `null`: there is no moon; its way is shown pale. */
  moonFollows: boolean | null;
}) {
  const x = placing(width);
  const { points, events, spans } = strip.day;
  const top = Math.max(30, ...points.map((p) => Math.max(p.sun_elevation_deg, p.moon_elevation_deg))) + 4;
  const y = (e: number) =>
    CURVES.bottom - ((CURVES.bottom - CURVES.top) * (e - CURVES.low)) / (top - CURVES.low);
  const place = (height: (p: DayPoint) => number) => (p: DayPoint) =>
    [x(p.minute), y(height(p))] as [number, number];
  const sun = place((p) => p.sun_elevation_deg);
  const moon = place((p) => p.moon_elevation_deg);
  const line = (of: (p: DayPoint) => [number, number]) =>
    points
      .map((p) =>
        of(p)
          .map((v) => v.toFixed(1))
          .join(","),
      )
      .join(" ");
  const [sunAt, moonAt] = namePlaces(points, sun, moon);
  /** Names of curves stay inside at both ends. */
  const inside = (at: number) => Math.max(LEFT + 32, Math.min(width - RIGHT - 32, at));
  const darkest = events.find(([event]) => event === "darkest")?.[1];
  const labels = eventNames.flatMap(([event, name]) =>
    events.filter(([e]) => e === event).map(([, at]) => ({ at: x(at), text: `${name} ${clock(at)}` })),
  );
  const cell = (x(1440) - x(0)) / strip.ribbon.length;
  return (
    <>
      {spans
        .filter(([kind]) => kind in spanOpacity)
        .map(([kind, from, to]) => (
          <rect
            key={`${kind}${from}`}
            x={x(from)}
            width={x(to) - x(from)}
            y={CURVES.top}
            height={CURVES.bottom - BAR - CURVES.top}
            fill="#ececec"
            fillOpacity={spanOpacity[kind]}
          />
        ))}
      {spans
        .filter(([kind]) => TWILIGHTS.includes(kind))
        .map(([kind, from, to]) => (
          <g key={`bar${kind}${from}`} data-testid={`day-${kind}`}>
            <rect
              x={x(from)}
              width={x(to) - x(from)}
              y={CURVES.bottom - BAR}
              height={BAR}
              fill="#ececec"
              fillOpacity={barOpacity[kind]}
            >
              <title>{`${twilightName(kind)} ${clock(from)} – ${clock(to)}`}</title>
            </rect>
            {kind === "night" && x(to) - x(from) > 34 && (
              <text {...small} x={(x(from) + x(to)) / 2} y={CURVES.bottom - 8} textAnchor="middle">
                {t("night")}
              </text>
            )}
          </g>
        ))}
      <line x1={x(0)} x2={x(1440)} y1={y(0)} y2={y(0)} stroke="#8a8a8a" />
      {[
        ["0°", y(0) + 3.5],
        [`${Math.round(top)}°`, CURVES.top + 6],
      ].map(([text, at]) => (
        <text key={text} {...small} x={LEFT - 6} y={at} textAnchor="end" fontFamily="var(--font-value)">
          {text}
        </text>
      ))}
      <clipPath id="day-curves">
        <rect width={x(1440)} height={CURVES.bottom - BAR} />
      </clipPath>
      <polyline
        clipPath="url(#day-curves)"
        points={line(moon)}
        fill="none"
        stroke="#b9b9b9"
        strokeOpacity={moonFollows ? 1 : 0.4}
        strokeDasharray="3 3"
      />
      <polyline
        clipPath="url(#day-curves)"
        points={line(sun)}
        fill="none"
        stroke="#ececec"
        strokeOpacity={sunFollows ? 1 : 0.4}
        strokeWidth={1.5}
      />
      <text {...small} x={inside(sunAt[0])} y={Math.max(sunAt[1] - 3, CURVES.top + 7)} textAnchor="middle">
        {sunFollows ? t("sun") : t("sun by hand")}
      </text>
      <text {...small} x={inside(moonAt[0])} y={moonAt[1] + 11} textAnchor="middle">
        {moonFollows === null ? t("no moon") : moonFollows ? t("moon") : t("moon by hand")}
      </text>
      {darkest !== undefined && (
        <path d={`M${x(darkest) - 3.5} ${CURVES.bottom - 1} h7 l-3.5 -6 z`} fill="#b9b9b9">
          <title>{t("darkest {{at}}", { at: clock(darkest) })}</title>
        </path>
      )}
      {ribbonNames.map((name, i) => (
        <text
          key={name}
          {...small}
          x={LEFT - 4}
          y={RIBBON.top + (i + 0.5) * RIBBON.row + 3.5}
          textAnchor="end"
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
      {withRoom(labels, LEFT, width - RIGHT).map(({ at, text }) => (
        <text key={text} {...small} x={at} y={HEIGHT - 3} textAnchor="middle" fontFamily="var(--font-value)">
          {text}
        </text>
      ))}
    </>
  );
});
