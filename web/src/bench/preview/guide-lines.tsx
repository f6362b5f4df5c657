import { lensView, type View } from "../../data/camera";
import type { Sky } from "../../data/sky";
import { useLooking } from "../store/looking";
import { dipUnder, frameOf, guideNames, linesOf, strokes } from "./guides";

/** Lines of composition over the Picture. */
export function GuideLines({
  sky,
  view,
  size: { width, height },
}: {
  sky: Sky;
  view: View;
  size: { width: number; height: number };
}) {
  const guides = useLooking((s) => s.guides);
  const dip = dipUnder(sky);
  const panorama = useLooking((s) => s.panorama);
  const on = guideNames.filter((name) => guides[name].on);
  const drawn = on
    // Lines that part a frame are the lens's alone.
    .filter((name) => !panorama || name === "horizon")
    .map((name) => ({ name: name as string, weight: guides[name].weight, lines: linesOf(name, view, dip) }));
  if (panorama) drawn.push({ name: "frame", weight: 1, lines: frameOf(lensView(sky.eye), view) });
  if (drawn.length === 0) return null;
  return (
    <svg
      data-testid="guides"
      className="pointer-events-none absolute inset-0 overflow-hidden"
      width={width}
      height={height}
      aria-hidden
    >
      {drawn.map(({ name, weight, lines }) =>
        lines.map((line, i) => {
          const points = line.map(([x, y]) => `${x * width},${y * height}`).join(" ");
          return (
            <g key={`${name}${i}`} data-guide={name} fill="none">
              {strokes.map(({ colour, opacity, wider }) => (
                <polyline
                  key={colour}
                  points={points}
                  stroke={colour}
                  strokeOpacity={opacity}
                  strokeWidth={weight + wider}
                />
              ))}
            </g>
          );
        }),
      )}
    </svg>
  );
}
