import { t } from "../text";
/** Parts of a sky, as starters and pins give them to another. */

/** What a starter offers of its document; `layer` is the one that it has. */
export type Part = "all" | "air" | "lights" | "clouds" | "layer" | "grade";

export const partTitles: Record<Part, string> = {
  all: t("All of it"),
  air: t("Air"),
  lights: t("Lights"),
  clouds: t("Clouds"),
  layer: t("One layer"),
  grade: t("Grade"),
};
