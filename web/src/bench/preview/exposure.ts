import { exposureAt } from "../../data/develop";
import type { Grade, Sky } from "../../data/sky";
import type { PreviewFrame } from "./preview-socket";

/** True elevation of the first sun: as it is set by hand, or as it was last computed from place and time. */
export function sunElevation(sky: Sky, frame: Pick<PreviewFrame, "sun_elevation_deg"> | null): number {
  const placement = sky.suns[0]?.placement;
  return placement?.by === "hand" ? placement.elevation_deg : (frame?.sun_elevation_deg ?? 0);
}

/** The grade with the exposure for that elevation. */
export function exposedGrade(sky: Sky, frame: Pick<PreviewFrame, "sun_elevation_deg"> | null): Grade {
  return { ...sky.grade, ev100: exposureAt(sky.grade, sunElevation(sky, frame)) };
}
