import { DropdownMenu } from "radix-ui";

/** What can be done with something, behind one word. */
export function Menu({
  words,
  label,
  items,
  align = "end",
  className,
}: {
  words: string;
  /** What is read out. */
  label: string;
  items: [string, () => void][];
  align?: "start" | "end";
  className: string;
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={label}
        className={`min-h-6 shrink-0 cursor-pointer rounded-soft px-2 ${className}`}
      >
        {words}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          className="z-30 rounded-soft border border-line bg-panel p-1 shadow-float"
        >
          {items.map(([title, onSelect]) => (
            <DropdownMenu.Item
              key={title}
              onSelect={onSelect}
              className="cursor-pointer rounded-soft px-3 py-1 outline-none data-[highlighted]:bg-raised"
            >
              {title}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
