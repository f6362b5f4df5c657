import { Select } from "radix-ui";

export type Option = { value: string; title: string; help?: string };

/** One of a few named options. */
export function Choice({
  label,
  value,
  options,
  onChange,
  id,
}: {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
  id?: string;
}) {
  return (
    <Select.Root value={value} onValueChange={onChange}>
      <Select.Trigger
        id={id}
        aria-label={label}
        className="flex h-6 w-full cursor-pointer items-center justify-between gap-2 rounded-soft border border-edge bg-bench px-2 text-left hover:bg-raised"
      >
        <Select.Value />
        <span aria-hidden className="text-quiet">
          …
        </span>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={2}
          className="z-50 min-w-44 rounded-soft border border-line bg-panel p-1 shadow-float"
        >
          <Select.Viewport>
            {options.map((o) => (
              <Select.Item
                key={o.value}
                value={o.value}
                className="cursor-pointer rounded-soft px-2 py-1 outline-none data-[highlighted]:bg-raised data-[state=checked]:underline data-[state=checked]:underline-offset-4"
              >
                <Select.ItemText>{o.title}</Select.ItemText>
                {o.help && <span className="block max-w-72 text-small text-quiet">{o.help}</span>}
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}
