import type { NumberField } from "./fields";

/** Places on a slider. */
export const STEPS = 1000;

/** Slider place (0..STEPS) of a value and back; logarithmic where the field says so. */
export function scaleOf({ soft: [low, high], log }: NumberField) {
  const useLog = log && low > 0;
  const [a, b] = useLog ? [Math.log(low), Math.log(high)] : [low, high];
  return {
    place: (v: number) => (((useLog ? Math.log(Math.max(v, 1e-12)) : v) - a) / (b - a)) * STEPS,
    value: (p: number) => {
      const v = a + ((b - a) * p) / STEPS;
      return useLog ? Math.exp(v) : v;
    },
  };
}

const units: Record<string, string> = { deg: "°", um: "µm", "g/m3": "g/m³", "": "" };
/**
 * How a unit is written, and how often it goes into the document's: cover and the like are shares there and
 * percent here.
 */
export const shownUnit = (unit: string) => ({ unit: units[unit] ?? unit, factor: unit === "%" ? 100 : 1 });

export function tidy(field: NumberField, value: number) {
  if (field.whole) return Math.round(value);
  const step = 10 ** (Math.floor(Math.log10(Math.max(Math.abs(value), 1e-6))) - 3);
  return Number((Math.round(value / step) * step).toPrecision(5));
}
