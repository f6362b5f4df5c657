import { t } from "../../text";
import { useEffect, useRef, type PointerEvent } from "react";
import { anglesOf, directionAt, toward, type Direction } from "../../data/camera";
import { developer, exposureAt, unpack } from "../../data/develop";
import type { Grade, Sky } from "../../data/sky";
import { sunElevation } from "../preview/exposure";
import { useBench } from "../store/bench-store";
import { layerOf, worldSelection, type Selection } from "../store/selection";
import { moveLight, nudgeLight, type Body } from "../preview/move-light";
import { worldName } from "../sheet/document-rows";
import { cornersOf, tieOf } from "../layers/regions/shapes";
import { useDay } from "../day/use-day";

const SIZE = 132;
const RADIUS = 52;
const rad = Math.PI / 180;

/**
 * Where a direction lies on the plan: zenith in the middle, horizon at the rim, north up, east to the right.
 */
function placeOn(d: Direction): [number, number] {
  const [azimuth, elevation] = anglesOf(d);
  const r = (RADIUS * (90 - elevation)) / 90;
  return [r * Math.sin(azimuth * rad), -r * Math.cos(azimuth * rad)];
}

function directionOn(x: number, y: number): Direction {
  const elevation = Math.max(-20, 90 - (90 * Math.hypot(x, y)) / RADIUS);
  return toward((Math.atan2(x, -y) / rad + 360) % 360, elevation);
}

/** The sky as a disc, shaded with its real light; suns and moon are dragged on it. */
export function Overhead({ sky }: { sky: Sky }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const overhead = useBench((s) => s.overhead);
  const discs = useBench((s) => s.frame?.discs);
  const elevation = useBench((s) => sunElevation(sky, s.frame));
  const selected = useBench((s) => s.selection);
  const { select, settle } = useBench.getState();
  const day = useDay(sky);
  // By its content: every move of a hand copies the document.
  const grade = JSON.stringify(sky.grade);

  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !overhead) return;
    const own = JSON.parse(grade) as Grade;
    const { side, words, exponent } = overhead;
    const image = context.createImageData(side, side);
    const develop = developer({ ...own, ev100: exposureAt(own, elevation) });
    for (let i = 0; i < words.length; i++) {
      const [column, row] = [i % side, Math.floor(i / side)];
      // The fisheye looks up, east at the left; the plan looks down.
      const to = 4 * (row * side + (side - 1 - column));
      const light = unpack(words[i] ?? 0).map((v) => v * 2 ** exponent) as [number, number, number];
      const inside = Math.hypot(column + 0.5 - side / 2, row + 0.5 - side / 2) <= side / 2;
      image.data.set([...develop(light), inside ? 255 : 0], to);
    }
    context.putImageData(image, 0, 0);
  }, [overhead, grade, elevation]);

  const suns = sky.suns.map((sun, i) => ({
    light: i as Body,
    selection: `sun${i}` as Selection,
    name: sky.suns.length > 1 ? t("Sun {{i}}", { i: i + 1 }) : t("Sun"),
    direction:
      sun.placement.by === "hand"
        ? toward(sun.placement.azimuth_deg, sun.placement.elevation_deg)
        : discs?.[i]?.direction,
  }));
  const moonAt =
    sky.moon.placement.by === "hand"
      ? toward(sky.moon.placement.azimuth_deg, sky.moon.placement.elevation_deg)
      : discs?.[sky.suns.length]?.direction;
  const moon = { light: "moon" as Body, selection: "moon" as Selection, name: t("Moon"), direction: moonAt };
  const worlds = sky.worlds.map((world, i) => ({
    light: { world: i } as Body,
    selection: worldSelection(i),
    name: worldName(sky, i),
    direction: toward(world.azimuth_deg, world.elevation_deg),
  }));
  const lights = [...suns, ...(sky.moon.risen ? [moon] : []), ...worlds];

  const drag = (light: Body, selection: Selection) => ({
    onPointerDown: (e: PointerEvent<SVGGElement>) => {
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
    },
    onPointerMove: (e: PointerEvent<SVGGElement>) => {
      const plan = e.currentTarget.ownerSVGElement?.getBoundingClientRect();
      if (!plan || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const [x, y] = [e.clientX - plan.left - SIZE / 2, e.clientY - plan.top - SIZE / 2];
      moveLight(light, directionOn(x, y), day);
    },
    // Selected only now: the Sheet that unfolds moves the plan under the hand.
    onPointerUp: () => {
      settle();
      select(selection);
    },
  });

  return (
    <div
      data-testid="overhead"
      className="relative shrink-0 border-r border-line bg-panel select-none"
      style={{ width: SIZE + 12, height: SIZE }}
    >
      <canvas
        ref={canvas}
        width={96}
        height={96}
        aria-hidden
        className="absolute"
        style={{
          width: 2 * RADIUS,
          height: 2 * RADIUS,
          left: SIZE / 2 - RADIUS + 6,
          top: SIZE / 2 - RADIUS,
        }}
      />
      <svg
        width={SIZE}
        height={SIZE}
        viewBox={`${-SIZE / 2} ${-SIZE / 2} ${SIZE} ${SIZE}`}
        className="absolute left-[6px] touch-none"
        aria-label={t("Overhead: the sky as a plan, north up, east right")}
      >
        <circle r={RADIUS} fill="none" stroke="#8a8a8a" />
        {(
          [
            [t("N"), 0, -RADIUS - 4, "middle"],
            [t("E"), RADIUS + 4, 4, "start"],
            [t("S"), 0, RADIUS + 12, "middle"],
            [t("W"), -RADIUS - 4, 4, "end"],
          ] as const
        ).map(([name, x, y, anchor]) => (
          <text key={name} x={x} y={y} textAnchor={anchor} fill="#b9b9b9" fontSize={10.5}>
            {name}
          </text>
        ))}
        <polygon points={field(sky)} fill="none" stroke="#000" strokeOpacity={0.4} strokeWidth={2.5} />
        <polygon points={field(sky)} fill="none" stroke="#ececec" strokeDasharray="3 2" />
        {regionsOn(sky, selected, discs?.[0]?.direction).map((points, i) => (
          <polygon
            key={i}
            data-testid={`overhead-region-${i}`}
            points={points}
            fill="none"
            stroke="var(--color-accent-light)"
            strokeDasharray="1 2"
          />
        ))}
        {lights.map(({ light, selection, name, direction }) => {
          if (!direction) return null;
          const [x, y] = placeOn(direction);
          const r = Math.hypot(x, y);
          // What is far below the horizon waits at the edge of the plan.
          const k = r > RADIUS + 11 ? (RADIUS + 11) / r : 1;
          return (
            <g
              key={selection}
              data-testid={`overhead-${selection}`}
              transform={`translate(${x * k} ${y * k})`}
              className="cursor-grab active:cursor-grabbing"
              role="button"
              tabIndex={0}
              aria-label={t("{{name}} on the plan; drag it, or move it by the arrow keys", { name })}
              onKeyDown={(e) => {
                if (e.key === "Enter") select(selection);
                else nudgeLight(e, light, direction, day);
              }}
              {...drag(light, selection)}
            >
              <title>{name}</title>
              <circle r={9} fill="transparent" />
              <circle r={5} fill="none" stroke="#000" strokeOpacity={0.5} strokeWidth={3.5} />
              <circle
                r={5}
                fill={light === "moon" ? "#262626" : "none"}
                stroke="var(--color-accent-light)"
                strokeWidth={1.75}
                strokeDasharray={r > RADIUS ? "2 2" : undefined}
              />
            </g>
          );
        })}
      </svg>
    </div>
  );
}

/** Outlines of the selected layer's cover regions, as they stand in the sky at its base. */
function regionsOn(sky: Sky, selection: Selection | null, sun: Direction | undefined): string[] {
  const layer = sky.clouds[layerOf(selection, sky)];
  if (!layer) return [];
  // From above a layer its outlines lie below the horizon.
  const height = Math.max(0.05, (layer.base_m - sky.eye.altitude_m) / 1000);
  return layer.regions
    .filter((r) => !r.muted)
    .map((region) =>
      cornersOf(region, tieOf(region, layer, sky, sun))
        .map(([x, y]) => {
          const [px, py] = placeOn(
            toward(Math.atan2(x, y) / rad, Math.atan2(height, Math.hypot(x, y)) / rad),
          );
          return `${px.toFixed(1)},${py.toFixed(1)}`;
        })
        .join(" "),
    );
}

/**
 * The outline of the camera's frame on the plan; below the horizon it runs outside the rim, and is held
 * there.
 */
function field(sky: Sky): string {
  const edge: [number, number][] = [];
  for (let i = 0; i <= 8; i++) edge.push([i / 8, 0]);
  for (let i = 1; i <= 8; i++) edge.push([1, i / 8]);
  for (let i = 7; i >= 0; i--) edge.push([i / 8, 1]);
  for (let i = 7; i >= 1; i--) edge.push([0, i / 8]);
  return edge
    .map(([u, v]) => {
      const [x, y] = placeOn(directionAt(sky.eye, u, v));
      const r = Math.hypot(x, y);
      const k = r > RADIUS + 6 ? (RADIUS + 6) / r : 1;
      return `${(x * k).toFixed(1)},${(y * k).toFixed(1)}`;
    })
    .join(" ");
}
