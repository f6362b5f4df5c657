import type { ReactNode } from "react";

/** A word and what it stands for, side by side. */
export function FieldLine({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="grid min-h-6 grid-cols-[8rem_1fr] items-center">
      <span className="text-quiet">{title}</span>
      {children}
    </div>
  );
}
