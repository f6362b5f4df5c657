import { t } from "../../text";
import type { KeyboardEvent } from "react";
import type { Strip } from "../../data/api";
import { anglesOf, toward, type Direction } from "../../data/camera";
import { arrowOf } from "../../ui/arrow-keys";
import { useBench } from "../store/bench-store";
import { atMinute, nearestOnPath } from "../day/use-day";

/** How far from its path of the day a light is pulled before it comes free, degrees. */
const FREE = 6;

const hundredth = (v: number) => Math.round(v * 100) / 100;

/** A sun by its number, the moon, or a world by its number. */
export type Body = number | "moon" | { world: number };

/** Moves a body toward a direction: a sun or the moon along its path of the day, or free of it. */
export function moveLight(light: Body, to: Direction, day: Strip | undefined) {
  const { sky, change, notify } = useBench.getState();
  if (typeof light === "object") return moveWorld(light.world, to);
  const object = light === "moon" ? sky?.moon : sky?.suns[light];
  if (!sky || !object) return;
  const body = light === "moon" ? "moon" : "sun";
  if (object.placement.by === "place" && !day) {
    notify(t("The {{body}}'s path of the day is not here yet; the server works it out.", { body }));
    return;
  }
  if (object.placement.by === "place" && day) {
    const { minute, apart } = nearestOnPath(day.day.points, body, sky.place.north_offset_deg, to);
    if (apart <= FREE) {
      change((s) => {
        s.place.at = atMinute(s.place.at, minute);
      }, true);
      return;
    }
    notify(t("The {{body}} came free of its place and time; one undo brings it back.", { body }));
  }
  const [azimuth, elevation] = anglesOf(to);
  change((s) => {
    const target = light === "moon" ? s.moon : s.suns[light];
    if (target)
      target.placement = {
        by: "hand",
        azimuth_deg: hundredth(azimuth),
        elevation_deg: hundredth(elevation),
      };
  }, true);
}

function moveWorld(world: number, to: Direction) {
  const [azimuth, elevation] = anglesOf(to);
  useBench.getState().change((s) => {
    const target = s.worlds[world];
    if (target) [target.azimuth_deg, target.elevation_deg] = [hundredth(azimuth), hundredth(elevation)];
  }, true);
}

/** Degrees that an arrow key moves a light by; with Shift, and with Alt. */
const STEP = { usual: 1, wide: 10, fine: 0.1 };

/** Moves a light by the arrow keys: in azimuth to the right and left, in elevation up and down. */
export function nudgeLight(e: KeyboardEvent, light: Body, at: Direction, day: Strip | undefined) {
  const arrow = arrowOf(e.key);
  if (!arrow) return;
  e.preventDefault();
  const step = e.shiftKey ? STEP.wide : e.altKey ? STEP.fine : STEP.usual;
  const [azimuth, elevation] = anglesOf(at);
  const height = Math.max(-90, Math.min(90, elevation + step * arrow[1]));
  moveLight(light, toward((azimuth + step * arrow[0] + 360) % 360, height), day);
  useBench.getState().settle();
}
