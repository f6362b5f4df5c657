import { useState } from "react";
import { readNumber, showNumber } from "../data/number";

/** A number that is typed, with arithmetic; empty where it may be left out. */
export function NumberField({
  label,
  value,
  unit,
  empty,
  onChange,
}: {
  label: string;
  value: number | null;
  unit?: string;
  /** What stands there while nothing is typed; without it a number is needed. */
  empty?: string;
  onChange: (value: number | null) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const keep = () => {
    if (typed === null) return;
    setTyped(null);
    if (typed.trim() === "" && empty !== undefined) return onChange(null);
    const read = readNumber(typed, value ?? 0);
    if (read !== null) onChange(read);
  };
  return (
    <span className="flex items-baseline gap-1">
      <input
        aria-label={label}
        inputMode="decimal"
        className="h-6 w-24 rounded-soft border border-edge bg-bench px-2 font-value"
        value={typed ?? (value === null ? "" : showNumber(value))}
        placeholder={empty}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && keep()}
      />
      {unit && <span className="text-quiet">{unit}</span>}
    </span>
  );
}
