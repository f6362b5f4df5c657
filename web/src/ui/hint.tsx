import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

/** A one-line explanation beside what it explains. */
export function Hint({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          side="bottom"
          align="start"
          sideOffset={4}
          className="z-50 max-w-72 rounded-soft border border-edge bg-bench px-2 py-1 text-small text-ink shadow-float"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
