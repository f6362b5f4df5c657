/** Gives a part of one sky to another. */

import type { Part } from "../../data/parts";
import type { Sky } from "../../data/sky";
import { addLayer } from "../layers/layers";

/** What stays as it is, whatever is given. */
export type Held = { sun: boolean; exposure: boolean; viewpoint: boolean; land: boolean };
export const nothingHeld: Held = { sun: false, exposure: false, viewpoint: false, land: false };

/** What a document makes of a sky: all of it, or a part; what is held stays. */
export function given(own: Sky, from: Sky, part: Part, held: Held = nothingHeld): Sky {
  const next = structuredClone(own);
  const source = structuredClone(from);
  const all = part === "all";
  if (all || part === "air") {
    next.air = source.air;
    next.fog = source.fog;
  }
  if ((all || part === "lights") && !held.sun) {
    next.suns = source.suns;
    next.moon = source.moon;
    next.night = source.night;
    next.place = source.place;
  }
  if (all || part === "clouds") {
    next.clouds = source.clouds;
    next.drift = source.drift;
  }
  const layer = source.clouds[0];
  if (part === "layer" && layer) addLayer(next, layer, layer.id);
  if (all) next.source = source.source;
  if (all && !held.land) next.land = source.land;
  // Who holds the exposure holds the look; of a grade that is asked for, the exposure alone stays.
  if (part === "grade" || (all && !held.exposure)) {
    const { ev100, exposures } = next.grade;
    next.grade = source.grade;
    if (held.exposure) Object.assign(next.grade, { ev100, exposures });
  }
  if (all && !held.viewpoint) next.eye = source.eye;
  return next;
}

/** A sky with a layer as another state of it has it: in its place, or as one more. */
export function withLayer(own: Sky, from: Sky, id: string): Sky {
  const next = structuredClone(own);
  const layer = structuredClone(from.clouds.find((l) => l.id === id));
  const at = next.clouds.findIndex((l) => l.id === id);
  if (layer && at >= 0) next.clouds[at] = layer;
  else if (layer) next.clouds.push(layer);
  return next;
}

/** A document that has of a sky what a part means, with the rest of it around. */
export function kept(sky: Sky, part: Part, layer: string | null): Sky {
  const next = structuredClone(sky);
  if (part === "layer") next.clouds = next.clouds.filter((l) => l.id === layer);
  return next;
}
