import { t } from "../../text";
import { Slider } from "radix-ui";
import { useId, useLayoutEffect, useRef, useState } from "react";
import type { NumberField } from "../../data/fields";
import { readNumber, showNumber } from "../../data/number";
import { Hint } from "../../ui/hint";
import { scaleOf, shownUnit, STEPS, tidy } from "../../data/scale";

/** What can be done with a row, in words that come up beside its number. */
const act = "h-6 min-w-6 cursor-pointer px-1 text-small text-quiet hover:text-ink";

/** Label, slider, number, unit. The notch in the track is the default; a changed value is underlined. */
export function Row({
  field,
  value,
  byDefault = field.byDefault,
  onChange,
  onSettle,
  onBracket,
}: {
  field: NumberField;
  value: number;
  byDefault?: number;
  onChange: (value: number, moving: boolean) => void;
  onSettle: () => void;
  onBracket?: () => void;
}) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  /** Whether the focus has just come. */
  const entered = useRef(false);
  const [text, setText] = useState<string | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const scale = scaleOf(field);
  const { factor, unit } = shownUnit(field.unit);
  const shown = showNumber(value * factor);
  const changed = Math.abs(value - byDefault) > 1e-9 * Math.max(1, Math.abs(byDefault));
  const notch = Math.max(0, Math.min(100, (scale.place(byDefault) / STEPS) * 100));

  // What is typed next stands in the place of what was entered, also when the picture is slow to give the new
  // value.
  useLayoutEffect(() => {
    if (text === null && document.activeElement === input.current) input.current?.select();
  }, [text, shown]);

  const enter = () => {
    if (text === null) return;
    const read = readNumber(text, value * factor, field.hard[0] < 0);
    if (read === null) return setFault(t("“{{text}}” is not a number", { text }));
    const next = field.whole ? Math.round(read / factor) : read / factor;
    if (next < field.hard[0] || next > field.hard[1])
      return setFault(
        t("{{showNumber}} to {{showNumber2}} {{unit}}", {
          showNumber: showNumber(field.hard[0] * factor),
          showNumber2: showNumber(field.hard[1] * factor),
          unit: field.unit,
        }),
      );
    setText(null);
    setFault(null);
    onChange(next, false);
  };

  return (
    <div className="group" data-testid={`row-${field.name}`}>
      <div className="flex items-baseline justify-between gap-2">
        <Hint text={field.help}>
          <label htmlFor={id} className="text-quiet hover:text-ink">
            {field.title}
          </label>
        </Hint>
        <span className="relative flex items-baseline font-value">
          <span className="absolute top-0 right-full flex bg-panel opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
            {changed && (
              <button
                type="button"
                aria-label={t("back: {{title}} to {{showNumber}}", {
                  title: field.title,
                  showNumber: showNumber(byDefault * factor),
                })}
                title={t("Back to {{showNumber}} {{unit}}", {
                  showNumber: showNumber(byDefault * factor),
                  unit: field.unit,
                })}
                onClick={() => onChange(byDefault, false)}
                className={act}
              >
                {t("back")}
              </button>
            )}
            {onBracket && (
              <button
                type="button"
                aria-label={t("bracket: {{title}}", { title: field.title })}
                title={t("Bracket: five pictures across its range")}
                onClick={onBracket}
                className={act}
              >
                {t("bracket")}
              </button>
            )}
          </span>
          <input
            id={id}
            ref={input}
            data-unentered={text !== null}
            value={text ?? shown}
            onChange={(e) => setText(e.target.value)}
            onFocus={(e) => {
              entered.current = true;
              e.target.select();
            }}
            // A browser sets the caret when the button that gave the focus is let go: all is chosen again.
            onMouseUp={(e) => {
              if (!entered.current) return;
              entered.current = false;
              e.preventDefault();
              e.currentTarget.select();
            }}
            onBlur={enter}
            onKeyDown={(e) => {
              if (e.key === "Enter") enter();
              // What was typed is given up first; only then Escape is for what is open.
              if (e.key === "Escape" && text !== null) {
                e.stopPropagation();
                setText(null);
                setFault(null);
              }
              if (e.key === "ArrowUp" || e.key === "ArrowDown") {
                e.preventDefault();
                const place = scale.place(value) + (e.key === "ArrowUp" ? 10 : -10);
                const next = field.whole
                  ? value + (e.key === "ArrowUp" ? 1 : -1)
                  : tidy(field, scale.value(place));
                onChange(Math.max(field.hard[0], Math.min(field.hard[1], next)), false);
              }
            }}
            className={`h-6 w-20 bg-transparent text-right leading-6 ${changed ? "underline decoration-accent-light decoration-1 underline-offset-4" : ""}`}
            inputMode="decimal"
            aria-invalid={fault !== null}
          />
          <span className="w-9 pl-1 text-small text-quiet">{unit}</span>
        </span>
      </div>
      <div className="relative">
        <Slider.Root
          min={0}
          max={STEPS}
          step={1}
          value={[Math.max(0, Math.min(STEPS, scale.place(value)))]}
          onValueChange={([p]) => onChange(tidy(field, scale.value(p ?? 0)), true)}
          onValueCommit={onSettle}
          aria-label={field.title}
          className="relative flex h-6 cursor-pointer items-center"
        >
          <Slider.Track className="relative h-px w-full bg-quiet">
            <Slider.Range className="absolute h-[2px] bg-ink" />
          </Slider.Track>
          <Slider.Thumb
            aria-label={field.title}
            className="group/thumb relative grid h-6 w-[7px] place-items-center outline-none after:absolute after:inset-y-0 after:-inset-x-[9px]"
          >
            <span className="h-3 w-[7px] bg-ink group-focus-visible/thumb:bg-accent-light group-active/thumb:bg-accent-light group-focus-visible/thumb:outline-2 group-focus-visible/thumb:outline-offset-2 group-focus-visible/thumb:outline-accent-light" />
          </Slider.Thumb>
        </Slider.Root>
        {/* The default in the track: pressed by a pointer; "back" beside the number is the same for all. */}
        <span
          aria-hidden
          data-testid={`notch-${field.name}`}
          title={
            changed
              ? t("Back to {{showNumber}} {{unit}}", {
                  showNumber: showNumber(byDefault * factor),
                  unit: field.unit,
                })
              : undefined
          }
          onClick={() => onChange(byDefault, false)}
          className={`absolute top-[15px] h-[9px] w-6 -translate-x-1/2 ${changed ? "cursor-pointer" : "pointer-events-none"}`}
          style={{ left: `${notch}%` }}
        >
          <span className="mx-auto mb-auto block h-[5px] w-px bg-quiet" />
        </span>
      </div>
      {fault && (
        <p role="alert" className="text-small text-accent-light">
          {fault}
        </p>
      )}
    </div>
  );
}
