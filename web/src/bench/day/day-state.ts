import { t } from "../../text";
import { showNumber } from "../../data/number";
import type { DayPoint, DaySpan, Strip } from "../../data/api";
import type { Sky } from "../../data/sky";
import { sunName } from "../sheet/document-rows";

/** A thing of the sky that can follow place and time, by its name. */
export type Follower = { name: string; follows: boolean };

/** Height under which a sun set by hand leaves the sky to the stars, degrees. */
const NIGHT_DEG = -9;

/**
 * What follows the time of day, and what is set by hand: suns, the moon, and stars where no sun hides them.
 * Invented stars can't follow.
 */
export function followers(sky: Sky): Follower[] {
  const stars = sky.night.stars.field.by;
  const outshone = sky.suns.some((s) => s.placement.by === "hand" && s.placement.elevation_deg > NIGHT_DEG);
  return [
    ...sky.suns.map((s, i) => ({ name: sunName(sky, i).toLowerCase(), follows: s.placement.by === "place" })),
    ...(sky.moon.risen ? [{ name: t("moon"), follows: sky.moon.placement.by === "place" }] : []),
    ...(stars === "invented" || outshone ? [] : [{ name: t("stars"), follows: stars === "place" }]),
  ];
}

/** Whether the light of the clock is that of the sky. */
export const sunFollows = (sky: Sky) => sky.suns.some((s) => s.placement.by === "place");

/** The first sun, the moon and the stars follow place and time from now on. */
export function tieAll(sky: Sky) {
  const sun = sky.suns[0];
  if (sun) sun.placement = { by: "place" };
  if (sky.moon.risen) sky.moon.placement = { by: "place" };
  if (sky.night.stars.field.by === "hand") sky.night.stars.field = { by: "place" };
}

const names: Record<DaySpan, string> = {
  golden: t("low sun"),
  blue: t("civil twilight"),
  civil: t("civil twilight"),
  nautical: t("nautical twilight"),
  astronomical: t("astronomical twilight"),
  night: t("night"),
};

/** Spans that share the day out, without those that painters name besides. */
export const TWILIGHTS: DaySpan[] = ["civil", "nautical", "astronomical", "night"];

/** What light a minute has, in words. */
export function lightAt({ day }: Strip, minute: number): string {
  const span = day.spans.find(
    ([kind, from, to]) => TWILIGHTS.includes(kind) && from <= minute && minute < to,
  );
  return span ? names[span[0]] : t("day");
}

export const twilightName = (span: DaySpan) => names[span];

/** The point of the day's curves nearest to a minute. */
export const pointAt = ({ day }: Strip, minute: number): DayPoint | undefined =>
  day.points[Math.round(minute / 10)];

/** Height and phase of the moon, in words. */
export function moonAt(sky: Sky, p: DayPoint): string {
  if (!sky.moon.risen) return t("no moon");
  if (sky.moon.placement.by !== "place") return "";
  const elevation = Math.round(p.moon_elevation_deg);
  const lit = showNumber(Math.round(100 * p.moon_lit));
  const grows = p.moon_waxing ? t("waxing") : t("waning");
  return elevation < 0
    ? t("moon down, {{lit}} % lit, {{grows}}", { lit, grows })
    : t("moon {{elevation}}° up, {{lit}} % lit, {{grows}}", { elevation: showNumber(elevation), lit, grows });
}
