import { t } from "../../../text";
import { useId } from "react";
import { decodeSrgb, encodeSrgb } from "../../../data/develop";
import type { ColourField } from "../../../data/fields";
import { readNumber, showNumber } from "../../../data/number";
import { Hint } from "../../../ui/hint";
import { useBench } from "../../store/bench-store";
import type { Rgb } from "../../store/view";

/**
 * A linear colour as a swatch shows it: by its hue, its largest channel full when it is brighter than a
 * screen.
 */
function toHex(colour: Rgb): string {
  const top = Math.max(1, ...colour);
  const part = (v: number) =>
    Math.round(255 * encodeSrgb(v / top))
      .toString(16)
      .padStart(2, "0");
  return `#${colour.map(part).join("")}`;
}

function fromHex(hex: string): Rgb {
  const part = (i: number) => decodeSrgb(parseInt(hex.slice(1 + 2 * i, 3 + 2 * i), 16) / 255);
  return [part(0), part(1), part(2)];
}

const tidy = (v: number) => Number(v.toPrecision(4));

/** A colour: swatch, linear values, and ways to carry it elsewhere or to pick it in the Picture. */
export function ColourRow({
  field,
  value,
  onChange,
  onSettle,
  white = 1,
}: {
  field: ColourField;
  value: Rgb;
  onChange: (value: Rgb, moving: boolean) => void;
  onSettle: () => void;
  /**
   * Luminance that stands for 1, where the colour is one of light; without it a picked colour keeps only its
   * hue.
   */
  white?: number | undefined;
}) {
  const id = useId();
  const carried = useBench((s) => s.carried);
  const picking = useBench((s) => s.picking !== null);
  const { carry, pick } = useBench.getState();
  const link =
    "min-h-6 min-w-6 cursor-pointer text-small text-quiet hover:text-ink hover:underline disabled:opacity-40";
  const picked = (light: Rgb) => {
    const scale = white > 1 ? white : Math.max(...light, 1e-9);
    onChange(light.map((v) => tidy(Math.max(0, Math.min(1000, v / scale)))) as Rgb, false);
  };
  return (
    <div className="py-1" data-testid={`row-${field.name}`}>
      <div className="flex items-center justify-between gap-2">
        <Hint text={field.help}>
          <label htmlFor={id} className="text-quiet">
            {field.title}
          </label>
        </Hint>
        <input
          id={id}
          type="color"
          value={toHex(value)}
          onChange={(e) => {
            const top = Math.max(1, ...value);
            onChange(fromHex(e.target.value).map((v) => tidy(v * top)) as Rgb, true);
          }}
          onBlur={onSettle}
          className="h-6 w-10 cursor-pointer border border-edge bg-bench p-0"
        />
      </div>
      <div className="flex items-center justify-between gap-2">
        <span className="flex gap-1 font-value">
          {value.map((v, i) => (
            <input
              key={`${i}:${v}`}
              aria-label={`${field.title}: ${[t("red"), t("green"), t("blue")][i]}`}
              defaultValue={showNumber(v)}
              onFocus={(e) => e.target.select()}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
              onBlur={(e) => {
                const next = readNumber(e.target.value, v);
                if (next === null || next < 0 || next > 1000) e.target.value = showNumber(v);
                else if (next !== v) onChange(value.map((o, k) => (k === i ? next : o)) as Rgb, false);
              }}
              className="h-6 w-11 bg-transparent text-small text-quiet"
            />
          ))}
        </span>
        <span className="flex gap-2">
          <button type="button" className={link} onClick={() => carry(value)}>
            {t("carry")}
          </button>
          <button
            type="button"
            className={link}
            disabled={!carried}
            onClick={() => carried && onChange(carried, false)}
          >
            {t("lay down")}
          </button>
          <button
            type="button"
            className={link}
            aria-pressed={picking}
            onClick={() => pick(picking ? null : picked)}
          >
            {t("pick")}
          </button>
        </span>
      </div>
    </div>
  );
}
