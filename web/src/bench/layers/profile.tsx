import { t } from "../../text";
import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import { showNumber } from "../../data/number";
import type { CloudLayer, Sky } from "../../data/sky";
import { arrowOf } from "../../ui/arrow-keys";
import { Button } from "../../ui/button";
import { Hint } from "../../ui/hint";
import { useBench } from "../store/bench-store";
import { PlotPoint } from "./plot-point";

type Point = CloudLayer["profile"][number];

const [WIDTH, HEIGHT, LEFT, MOST] = [248, 116, 58, 2];
const MOST_POINTS = 12;
const x = (density: number) => LEFT + ((WIDTH - LEFT - 8) * Math.min(density, MOST)) / MOST;
const y = (height: number) => 8 + (HEIGHT - 16) * (1 - height);
const clamp = (v: number, high: number) => Math.max(0, Math.min(high, v));
const tidy = (v: number) => Math.round(v * 100) / 100;

/** The curve from base to top: level past the outermost points; an undrawn profile is even. */
function curve(points: Point[]): string {
  const sorted = [...points].sort((a, b) => a.height - b.height);
  const [first, last] = [sorted[0], sorted.at(-1)];
  const all = first && last ? [{ ...first, height: 0 }, ...sorted, { ...last, height: 1 }] : [];
  const drawn = all.length > 0 ? all : [0, 1].map((height) => ({ height, density: 1 }));
  return drawn.map((p) => `${x(p.density).toFixed(1)},${y(p.height).toFixed(1)}`).join(" ");
}

/** A layer's density over its real altitudes, drawn by hand. */
export function Profile({
  layer,
  edit,
}: {
  layer: CloudLayer;
  edit: (then: (l: CloudLayer, s: Sky) => void, moving?: boolean) => void;
}) {
  const { settle } = useBench.getState();
  const plot = useRef<SVGSVGElement>(null);
  const dragged = useRef<number | null>(null);
  const points = layer.profile;
  const at = (e: { clientX: number; clientY: number }): Point => {
    const box = plot.current?.getBoundingClientRect();
    const [px, py] = [e.clientX - (box?.left ?? 0), e.clientY - (box?.top ?? 0)];
    return {
      height: tidy(clamp(1 - (py - 8) / (HEIGHT - 16), 1)),
      density: tidy(clamp(((px - LEFT) / (WIDTH - LEFT - 8)) * MOST, MOST)),
    };
  };
  const move = (e: PointerEvent) => {
    const i = dragged.current;
    if (i !== null) edit((l) => (l.profile[i] = at(e)), true);
  };
  const keys = (i: number) => (e: KeyboardEvent) => {
    const step = arrowOf(e.key);
    if (e.key === "Delete") edit((l) => l.profile.splice(i, 1));
    if (!step) return;
    e.preventDefault();
    edit((l) => {
      const p = l.profile[i];
      if (p)
        l.profile[i] = {
          height: tidy(clamp(p.height + 0.02 * step[1], 1)),
          density: tidy(clamp(p.density + 0.05 * step[0], MOST)),
        };
    });
  };
  const marks = [0, 0.5, 1];
  return (
    <div className="py-1" data-testid="profile">
      <div className="flex items-baseline justify-between">
        <Hint
          text={t(
            "Density over height. Click to add a point, drag it, double click or Delete takes it away. Usual: even, or denser toward the top of heaps.",
          )}
        >
          <span className="text-quiet">{t("Profile")}</span>
        </Hint>
        {points.length > 0 && (
          <Button weight="quiet" onClick={() => edit((l) => (l.profile = []))}>
            {t("Make it even")}
          </Button>
        )}
      </div>
      <svg
        ref={plot}
        width={WIDTH}
        height={HEIGHT}
        className="touch-none bg-bench"
        aria-label={t("Profile of density over altitude")}
        onPointerDown={(e) => {
          if (points.length >= MOST_POINTS) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          dragged.current = points.length;
          edit((l) => l.profile.push(at(e)), true);
        }}
        onPointerMove={move}
        onPointerUp={() => {
          dragged.current = null;
          settle();
        }}
      >
        {marks.map((h) => (
          <g key={h}>
            <line x1={LEFT} x2={WIDTH - 8} y1={y(h)} y2={y(h)} stroke="#404040" />
            <text
              x={LEFT - 6}
              y={y(h) + 3.5}
              textAnchor="end"
              className="fill-quiet font-value text-[10.5px]"
            >
              {showNumber(Math.round(layer.base_m + h * layer.depth_m))} m
            </text>
          </g>
        ))}
        <line x1={x(1)} x2={x(1)} y1={y(1)} y2={y(0)} stroke="#404040" strokeDasharray="2 3" />
        <polyline points={curve(points)} fill="none" stroke="#ececec" strokeWidth={1.25} />
        {points.map((p, i) => (
          <PlotPoint
            key={i}
            label={t("Point at {{altitude}} m, density {{density}}", {
              altitude: Math.round(layer.base_m + p.height * layer.depth_m),
              density: p.density,
            })}
            cx={x(p.density)}
            cy={y(p.height)}
            plot={plot}
            onGrab={() => (dragged.current = i)}
            onRemove={() => edit((l) => l.profile.splice(i, 1))}
            onKeyDown={keys(i)}
          />
        ))}
      </svg>
    </div>
  );
}
