import type { KeyboardEvent, RefObject } from "react";

/** A point of a drawn curve: dragged by its plot, taken away by a double click, moved by keys. */
export function PlotPoint({
  label,
  cx,
  cy,
  plot,
  onGrab,
  onRemove,
  onKeyDown,
}: {
  label: string;
  cx: number;
  cy: number;
  plot: RefObject<SVGSVGElement | null>;
  onGrab: () => void;
  onRemove: () => void;
  onKeyDown: (e: KeyboardEvent) => void;
}) {
  return (
    <circle
      role="button"
      tabIndex={0}
      aria-label={label}
      cx={cx}
      cy={cy}
      r={4.5}
      className="cursor-grab fill-panel stroke-ink focus-visible:stroke-accent-light"
      onPointerDown={(e) => {
        e.stopPropagation();
        plot.current?.setPointerCapture(e.pointerId);
        onGrab();
      }}
      onDoubleClick={onRemove}
      onKeyDown={onKeyDown}
    />
  );
}
