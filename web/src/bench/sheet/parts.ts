import { t } from "../../text";
/** Parts of a sky as a Sheet has them: taken as they are, put back as usual, carried to another sky. */

import { usualOf, type Schema } from "../../data/fields";
import type { CloudLayer, Sky } from "../../data/sky";
import { addLayer } from "../layers/layers";
import { useBench } from "../store/bench-store";
import { layerOf, selectionOf, sunOf, type Selection } from "../store/selection";

const definitions = {
  air: "Air",
  fog: "Fog",
  drift: "Drift",
  land: "Land",
  eye: "Eye",
  grade: "Grade",
  moon: "Moon",
  night: "Night",
  place: "Place",
  source: "SkySource",
} as const;
type Named = keyof typeof definitions;

const isNamed = (selection: Selection): selection is Named => selection in definitions;

/** What kind of part is selected, and the part. */
export function partOf(sky: Sky, selection: Selection): { kind: string; value: object } | null {
  const sun = sky.suns[sunOf(selection) ?? -1];
  if (sun) return { kind: "sun", value: sun };
  const layer = sky.clouds[layerOf(selection, sky)];
  if (layer) return { kind: "layer", value: layer };
  return isNamed(selection) ? { kind: selection, value: sky[selection] } : null;
}

/** Where a layer stands, and which it is: it stays when the rest goes back to what is usual. */
const own = ({ id, name, seed, slide_east_m, slide_north_m, age_min, wind_share, regions }: CloudLayer) => ({
  id,
  name,
  seed,
  slide_east_m,
  slide_north_m,
  age_min,
  wind_share,
  regions,
});

/** Whether a Sheet can go back to what is usual, and how. A sun stays where it is. */
export function resetOf(sky: Sky, selection: Selection, schema: Schema): ((s: Sky) => void) | null {
  const sun = sunOf(selection);
  if (sun !== null)
    return (s) => {
      const target = s.suns[sun];
      if (!target) return;
      const { placement } = target;
      Object.assign(target, usualOf(schema, "Sun"), { placement });
    };
  const index = layerOf(selection, sky);
  if (index >= 0)
    return (s) => {
      const layer = s.clouds[index];
      if (layer) s.clouds[index] = { ...structuredClone(schema.usual[layer.kind]), ...own(layer) };
    };
  // The grade has its own way: exposure stays. Of place and moon nothing is usual.
  if (!isNamed(selection) || ["grade", "place", "moon", "source"].includes(selection)) return null;
  return (s) => Object.assign(s[selection], usualOf(schema, definitions[selection]));
}

const CLIPBOARD = "tenter:copied";
type Copied = { kind: string; value: object };

/** Takes the selected part along, to be pasted here or into another sky. */
export function copyPart(sky: Sky, selection: Selection) {
  const part = partOf(sky, selection);
  if (!part) return;
  localStorage.setItem(CLIPBOARD, JSON.stringify(part));
  useBench
    .getState()
    .notify(t("Copied: {{kind}}. Paste it into the same Sheet of any sky.", { kind: part.kind }));
}

/** What was copied last, read once for each text: Sheets ask with every move of a hand. */
let known: { text: string | null; part: Copied | null } = { text: null, part: null };

export function copied(): Copied | null {
  const text = localStorage.getItem(CLIPBOARD);
  if (text !== known.text) known = { text, part: readCopied(text) };
  return known.part;
}

function readCopied(text: string | null): Copied | null {
  try {
    return JSON.parse(text ?? "null") as Copied | null;
  } catch {
    return null;
  }
}

/** Whether what was copied can be pasted where this is selected. */
export const takes = (sky: Sky, selection: Selection, part: Copied | null): boolean => {
  if (!part) return false;
  if (part.kind === "layer") return selection === "clouds" || layerOf(selection, sky) >= 0;
  return partOf(sky, selection)?.kind === part.kind;
};

/** Puts what was copied in the place of the selected part; a layer comes as one more. */
export function pastePart(selection: Selection) {
  const { sky, change, select } = useBench.getState();
  const part = copied();
  if (!sky || !part || !takes(sky, selection, part)) return;
  change((s) => {
    if (part.kind === "layer") addLayer(s, part.value as CloudLayer, (part.value as CloudLayer).id);
    else Object.assign(partOf(s, selection)?.value ?? {}, structuredClone(part.value));
  });
  const added = useBench.getState().sky?.clouds.at(-1);
  if (part.kind === "layer" && added) select(selectionOf(added));
}
