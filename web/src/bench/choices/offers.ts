import { t } from "../../text";
import type { NumberField } from "../../data/fields";
import { showNumber } from "../../data/number";
import type { Sky } from "../../data/sky";
import { layerOf, type Selection } from "../store/selection";
import type { Choice } from "../store/view";
import { STEPS, scaleOf, shownUnit, tidy } from "../../data/scale";

/** Nine seeds of a layer; dealing again gives the next nine. */
export function deal(selection: Selection, sky: Sky, from?: number): Choice {
  const index = layerOf(selection, sky);
  const layer = sky.clouds[index];
  const first = from ?? (layer?.seed ?? 0) + 1;
  const seeds = Array.from({ length: 9 }, (_, i) => (first + i) % 2 ** 32);
  return {
    title: t("Deal: {{value}}, seeds {{first}} to {{first2}}", {
      value: layer?.name ?? "clouds",
      first,
      first2: first + 8,
    }),
    options: seeds.map((seed) => ({
      label: t("seed {{seed}}", { seed }),
      edit: (s) => {
        const l = s.clouds[index];
        if (l) l.seed = seed;
      },
    })),
    more: { words: t("Deal again"), next: () => deal(selection, sky, first + 9) },
  };
}

/** Five values of a row, around what it has or farther out. */
export function bracket(
  field: NumberField,
  value: number,
  edit: (sky: Sky) => object | undefined,
  reach = STEPS / 8,
): Choice {
  const scale = scaleOf(field);
  const middle = Math.max(0, Math.min(STEPS, scale.place(value)));
  // The five stay on the slider: near an end they move inward.
  const centre = Math.max(2 * reach, Math.min(STEPS - 2 * reach, middle));
  const values = [-2, -1, 0, 1, 2].map((k) => {
    const place = centre + k * reach;
    return Math.abs(place - middle) < 1 ? value : tidy(field, scale.value(place));
  });
  const { factor, unit } = shownUnit(field.unit);
  const ends = [values[0] ?? value, values[4] ?? value].map((v) => showNumber(v * factor));
  return {
    title: t("Bracket: {{title}}, {{value}} to {{value2}} {{unit}}", {
      title: field.title,
      value: ends[0],
      value2: ends[1],
      unit,
    }),
    options: [...new Set(values)].map((v) => ({
      label: `${showNumber(v * factor)} ${unit}`,
      now: v === value,
      edit: (s) => {
        const target = edit(s) as Record<string, unknown> | undefined;
        if (target) target[field.name] = v;
      },
    })),
    ...(reach < STEPS / 4
      ? { more: { words: t("Step outwards"), next: () => bracket(field, value, edit, reach * 2) } }
      : {}),
  };
}
