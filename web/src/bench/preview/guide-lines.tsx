import { lensView, type View } from "../../data/camera";
import type { Sky } from "../../data/sky";
import { useLooking } from "../store/looking";
import { dipOf, frameOf, guideNames, linesOf } from "./guides";

const METRES = 1000;

/** Lines of composition over the Picture: a light line on a dark one, so that both skies and land show it. */
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
  const dip = dipOf(sky.eye.altitude_m, sky.air.planet_radius_km * METRES);
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
              <polyline points={points} stroke="#000" strokeOpacity="0.45" strokeWidth={weight + 1.5} />
              <polyline points={points} stroke="#fff" strokeOpacity="0.85" strokeWidth={weight} />
            </g>
          );
        }),
      )}
    </svg>
  );
}
