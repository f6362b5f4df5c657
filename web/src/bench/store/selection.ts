import type { CloudLayer, Sky } from "../../data/sky";

/** What the Sheet is about: a part that is selected in the Section, or the history. */
export type Selection =
  | "place"
  | Sun
  | "moon"
  | "source"
  | "night"
  /** "worlds" is where worlds are added. */
  | "worlds"
  | World
  | "air"
  | "fog"
  | "clouds"
  | Layer
  | "drift"
  | "land"
  | "eye"
  | "grade"
  /** What was changed, and what was kept to compare with, in place of rows. */
  | "history"
  | "pins";
/** A cloud layer by its id; "clouds" is where layers are added. */
type Layer = `layer-${string}`;
type Sun = `sun${0 | 1 | 2 | 3}`;
type World = `world${0 | 1 | 2 | 3}`;

/** Which of the suns a part is. */
export const sunOf = (selection: Selection | null): number | null =>
  selection?.startsWith("sun") ? Number(selection.slice(3)) : null;

/** Which of the worlds a part is. */
export const worldOf = (selection: Selection | null): number | null =>
  selection && /^world\d$/.test(selection) ? Number(selection.slice(5)) : null;

export const worldSelection = (i: number) => `world${i}` as Selection;

/** Place of the cloud layer that a part is in the document, -1 where it is none. */
export const layerOf = (selection: Selection | null, sky: Sky): number =>
  selection?.startsWith("layer-") ? sky.clouds.findIndex((l) => `layer-${l.id}` === selection) : -1;

/** Whether a sky has what is selected: other clouds and suns may have taken its place. */
export const hasSelected = (sky: Sky, selection: Selection): boolean => {
  const sun = sunOf(selection);
  if (sun !== null) return sun === 0 || sun < sky.suns.length;
  const world = worldOf(selection);
  if (world !== null) return world < sky.worlds.length;
  return !selection.startsWith("layer-") || layerOf(selection, sky) >= 0;
};

export const selectionOf = (layer: CloudLayer): Selection => `layer-${layer.id}`;
