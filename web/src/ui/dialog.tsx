import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

export function Dialog({
  title,
  open,
  onClose,
  back,
  wide = false,
  children,
}: {
  title: string;
  open: boolean;
  onClose: () => void;
  /** Id of what has the focus afterwards, where what opened the dialog is gone by then. */
  back?: string;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Radix.Content
          aria-describedby={undefined}
          onCloseAutoFocus={(e) => {
            const element = back ? document.getElementById(back) : null;
            if (!element) return;
            e.preventDefault();
            element.focus();
          }}
          className={[
            "fixed top-1/2 left-1/2 z-40 max-h-[94vh] -translate-x-1/2 -translate-y-1/2 overflow-y-auto",
            "rounded-soft border border-line bg-panel p-4 shadow-float",
            wide ? "w-[46rem] max-w-[96vw]" : "w-96",
          ].join(" ")}
        >
          <Radix.Title className="mb-3 text-large">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
