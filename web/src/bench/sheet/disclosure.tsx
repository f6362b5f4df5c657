import { t } from "../../text";
import { Collapsible } from "radix-ui";
import { useState, type ReactNode } from "react";

const keyOf = (title: string) => `tenter:fold:${title}`;

/** A part of a Sheet that folds away, and is remembered. */
export function Disclosure({
  title,
  children,
  open: byDefault = true,
}: {
  title: string;
  children: ReactNode;
  open?: boolean;
}) {
  const [open, setOpen] = useState(() => {
    const kept = localStorage.getItem(keyOf(title));
    return kept === null ? byDefault : kept === "open";
  });
  const turn = (next: boolean) => {
    localStorage.setItem(keyOf(title), next ? "open" : "folded");
    setOpen(next);
  };
  return (
    <Collapsible.Root open={open} onOpenChange={turn} className="mt-2 border-t border-line pt-1">
      <h3>
        <Collapsible.Trigger
          className={
            "flex w-full cursor-pointer items-baseline justify-between py-1 text-left hover:underline " +
            "hover:underline-offset-4"
          }
        >
          {title}
          <span className="text-small text-quiet">{open ? t("fold") : t("unfold")}</span>
        </Collapsible.Trigger>
      </h3>
      <Collapsible.Content>{children}</Collapsible.Content>
    </Collapsible.Root>
  );
}
