/** Parts of a sky, as starters and pins give them to another. */

/** What a starter offers of its document; `layer` is the one that it has. */
export type Part = "all" | "air" | "lights" | "clouds" | "layer" | "grade";

export const partTitles: Record<Part, string> = {
  all: "All of it",
  air: "Air",
  lights: "Lights",
  clouds: "Clouds",
  layer: "One layer",
  grade: "Grade",
};
