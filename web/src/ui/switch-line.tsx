import { ToggleGroup } from "radix-ui";

/** A few words in a line, one of them in force. */
export function SwitchLine({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: { value: string; title: string }[];
  onChange: (value: string) => void;
}) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(v) => v && onChange(v)}
      className="my-2 flex gap-3"
    >
      {options.map((o) => (
        <ToggleGroup.Item
          key={o.value}
          value={o.value}
          className="min-h-6 min-w-6 cursor-pointer pb-px text-quiet data-[state=on]:border-b-2 data-[state=on]:border-ink data-[state=on]:text-ink"
        >
          {o.title}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
