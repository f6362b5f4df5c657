import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type DayPoint, type Strip } from "../../data/api";
import { toward, type Direction } from "../../data/camera";
import type { Sky } from "../../data/sky";

/** The day at the sky's place; it stays on screen while another is computed. */
export function useDay(sky: Sky | null): Strip | undefined {
  // The hour does not matter to the day, nor do clouds, eye or grade.
  const about = sky && {
    ...sky,
    place: { ...sky.place, name: "", at: `${sky.place.at.slice(0, 10)}T12:00:00${offsetOf(sky.place.at)}` },
    suns: sky.suns.slice(0, 1),
    clouds: [],
  };
  const key = about ? JSON.stringify([about.place, about.air, about.night, about.eye.altitude_m]) : "";
  const [settled, setSettled] = useState(key);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(key), 200);
    return () => clearTimeout(timer);
  }, [key]);
  const day = useQuery({
    queryKey: ["day", settled],
    queryFn: () => api.day(about as Sky),
    enabled: about !== null && settled === key,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    // A day that could not be had is asked for until it can.
    retry: true,
    retryDelay: 2000,
  });
  return day.data;
}

export const offsetOf = (at: string) => /([Zz]|[+-]\d\d:\d\d)$/.exec(at)?.[1] ?? "Z";

/** Minutes since local midnight of a moment. */
export const minuteOf = (at: string) => Number(at.slice(11, 13)) * 60 + Number(at.slice(14, 16));

/** The same date and offset at another minute of the day. */
export function atMinute(at: string, minute: number): string {
  const whole = Math.round(Math.max(0, Math.min(1439, minute)));
  const two = (v: number) => String(v).padStart(2, "0");
  return `${at.slice(0, 10)}T${two(Math.floor(whole / 60))}:${two(whole % 60)}:00${offsetOf(at)}`;
}

export type Body = "sun" | "moon";

const pointOf = (p: DayPoint, body: Body, north: number): Direction =>
  body === "sun"
    ? toward(p.sun_azimuth_deg + north, p.sun_elevation_deg)
    : toward(p.moon_azimuth_deg + north, p.moon_elevation_deg);

/**
 * The minute at which a body comes nearest to a direction on its path of the day, and by how many degrees it
 * misses.
 */
export function nearestOnPath(
  points: DayPoint[],
  body: Body,
  north: number,
  to: Direction,
): { minute: number; apart: number } {
  let best = { minute: 0, apart: 180 };
  for (let i = 1; i < points.length; i++) {
    const [p, q] = [points[i - 1], points[i]];
    if (!p || !q) continue;
    const [a, b] = [pointOf(p, body, north), pointOf(q, body, north)];
    const along: Direction = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
    const length = along[0] ** 2 + along[1] ** 2 + along[2] ** 2;
    const offset = (to[0] - a[0]) * along[0] + (to[1] - a[1]) * along[1] + (to[2] - a[2]) * along[2];
    const t = Math.max(0, Math.min(1, length > 0 ? offset / length : 0));
    const miss = Math.hypot(...([0, 1, 2] as const).map((k) => a[k] + along[k] * t - to[k]));
    const apart = (2 * Math.asin(Math.min(1, miss / 2)) * 180) / Math.PI;
    if (apart < best.apart) best = { minute: p.minute + t * (q.minute - p.minute), apart };
  }
  return best;
}
