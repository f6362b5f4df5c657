import type { Direction } from "../../data/camera";
import type { CloudLayer, Sky } from "../../data/sky";

/**
 * Metres east and north of the eye, along the ground, where a ray meets an altitude; null where it does not.
 */
export function placeAt(sky: Sky, d: Direction, altitude: number): [number, number] | null {
  const radius = sky.air.planet_radius_km * 1000;
  const r = radius + sky.eye.altitude_m;
  const rise = altitude - sky.eye.altitude_m;
  const along = r * d[2];
  const square = along * along + rise * (2 * radius + altitude + sky.eye.altitude_m);
  if (square < 0) return null;
  const root = Math.sqrt(square);
  // The nearer place ahead.
  const t = [-along - root, -along + root].find((v) => v > 0);
  if (t === undefined) return null;
  const flat = Math.hypot(d[0], d[1]);
  const arc = radius * Math.atan2(t * flat, r + t * d[2]);
  return flat < 1e-9 ? [0, 0] : [(d[0] / flat) * arc, (d[1] / flat) * arc];
}

/**
 * What is grasped in a direction: the cloud at its base, or below the horizon its shadow on the
 * ground.
 */
export function layerAt(sky: Sky, layer: CloudLayer, d: Direction): [number, number] | null {
  const above = sky.eye.altitude_m > layer.base_m + layer.depth_m;
  const altitude = above ? layer.base_m + layer.depth_m : d[2] < 0 ? 0 : layer.base_m;
  return placeAt(sky, d, altitude);
}
