import { t } from "../../../text";
import { useRef, useState, type PointerEvent } from "react";
import { halfWidth, type Direction } from "../../../data/camera";
import type { CloudLayer, Sky } from "../../../data/sky";
import { arrowOf } from "../../../ui/arrow-keys";
import { cornersOf, fromPlan, middleOf, nameOf, tieOf, type Km } from "./shapes";

// Fits beside a scroll bar.
const SIZE = 248;
const REACHES = [10, 40, 160];
const rad = Math.PI / 180;

/** A plan in kilometres, the eye in the middle: regions are drawn and moved on it. */
export function Plan({
  sky,
  layer,
  sun,
  chosen,
  drawing,
  onChoose,
  onMove,
  onSettle,
  onDrawn,
}: {
  sky: Sky;
  layer: CloudLayer;
  sun: Direction | undefined;
  chosen: number | null;
  drawing: boolean;
  onChoose: (region: number) => void;
  onMove: (region: number, to: Km) => void;
  onSettle: () => void;
  onDrawn: (line: Km[]) => void;
}) {
  const plan = useRef<SVGSVGElement>(null);
  const held = useRef<{ region: number; off: Km } | null>(null);
  const [reach, setReach] = useState(40);
  // What has been drawn, and what of it is shown: moves come faster than the page is drawn anew.
  const drawn = useRef<Km[]>([]);
  const [line, setLine] = useState<Km[]>([]);
  const scale = SIZE / 2 / reach;
  const px = ([x, y]: Km) => `${(SIZE / 2 + x * scale).toFixed(1)},${(SIZE / 2 - y * scale).toFixed(1)}`;
  const at = (e: PointerEvent): Km => {
    const box = plan.current?.getBoundingClientRect();
    return [
      (e.clientX - (box?.left ?? 0) - SIZE / 2) / scale,
      (SIZE / 2 - (e.clientY - (box?.top ?? 0))) / scale,
    ];
  };
  const half = Math.atan(halfWidth(sky.eye)) / rad;
  const sight = (degrees: number): Km => [
    3 * reach * Math.sin((sky.eye.heading_deg + degrees) * rad),
    3 * reach * Math.cos((sky.eye.heading_deg + degrees) * rad),
  ];
  const rings = [0.5, 1].map((k) => k * reach);
  return (
    <div>
      <svg
        ref={plan}
        data-testid="plan"
        width={SIZE}
        height={SIZE}
        className={`block touch-none bg-bench select-none ${drawing ? "cursor-crosshair" : ""}`}
        aria-label={t("Plan of cover regions, north up, east right")}
        onPointerDown={(e) => {
          if (!drawing) return;
          // A stroke selects no text on its way.
          e.preventDefault();
          e.currentTarget.setPointerCapture(e.pointerId);
          drawn.current = [at(e)];
        }}
        onPointerMove={(e) => {
          if (held.current) {
            const [x, y] = at(e);
            const { region, off } = held.current;
            onMove(region, [x - off[0], y - off[1]]);
          } else if (drawn.current.length > 0) {
            drawn.current.push(at(e));
            setLine([...drawn.current]);
          }
        }}
        onPointerUp={() => {
          if (held.current) onSettle();
          else if (drawn.current.length > 0) onDrawn(drawn.current);
          held.current = null;
          drawn.current = [];
          setLine([]);
        }}
      >
        {/* as light as there is cover */}
        <rect width={SIZE} height={SIZE} fill="#ececec" fillOpacity={0.45 * layer.cover} />
        {rings.map((r) => (
          <circle
            key={r}
            cx={SIZE / 2}
            cy={SIZE / 2}
            r={r * scale - 0.5}
            fill="none"
            stroke="#8a8a8a"
            strokeOpacity={0.5}
          />
        ))}
        <polyline
          points={[px(sight(-half)), px([0, 0]), px(sight(half))].join(" ")}
          fill="none"
          stroke="#ececec"
          strokeOpacity={0.6}
        />
        {layer.regions.map((region, i) => {
          const tie = tieOf(region, layer, sky, sun);
          return (
            <polygon
              key={i}
              data-testid={`plan-region-${i}`}
              points={cornersOf(region, tie).map(px).join(" ")}
              className={drawing ? "" : "cursor-grab"}
              fill={region.change < 0 ? "#262626" : "#ececec"}
              fillOpacity={region.muted ? 0.05 : region.change < 0 ? 0.75 : 0.25}
              stroke="#ececec"
              strokeWidth={chosen === i ? 2 : 1}
              strokeDasharray={region.change < 0 ? "4 3" : undefined}
              role="button"
              tabIndex={0}
              aria-label={t("{{region}}; moved by the arrow keys", { region: nameOf(region) })}
              onKeyDown={(e) => {
                if (e.key === "Enter") onChoose(i);
                const step = arrowOf(e.key);
                if (!step) return;
                e.preventDefault();
                const [x, y] = middleOf(region, tie);
                const km = (e.shiftKey ? 0.1 : 0.01) * reach;
                onMove(i, [x + km * step[0], y + km * step[1]]);
                onSettle();
              }}
              onPointerDown={(e) => {
                if (drawing) return;
                plan.current?.setPointerCapture(e.pointerId);
                const [x, y] = at(e);
                const middle = middleOf(region, tie);
                held.current = { region: i, off: [x - middle[0], y - middle[1]] };
                onChoose(i);
              }}
            />
          );
        })}
        {line.length > 1 && (
          <polyline
            points={line.map(px).join(" ")}
            pointerEvents="none"
            fill="none"
            stroke="var(--color-accent-light)"
          />
        )}
        <path
          d={`M${SIZE / 2 - 4} ${SIZE / 2} h8 M${SIZE / 2} ${SIZE / 2 - 4} v8`}
          stroke="#ececec"
          pointerEvents="none"
        />
        {sun && (
          <circle
            cx={SIZE / 2 + (sun[0] / Math.hypot(sun[0], sun[1])) * (SIZE / 2 - 9)}
            cy={SIZE / 2 - (sun[1] / Math.hypot(sun[0], sun[1])) * (SIZE / 2 - 9)}
            r={4}
            fill="none"
            stroke="#ececec"
            pointerEvents="none"
          >
            <title>{t("Toward the first sun")}</title>
          </circle>
        )}
        <text x={SIZE / 2} y={12} textAnchor="middle" className="fill-quiet text-[10.5px]">
          {t("N")}
        </text>
      </svg>
      <p className="flex items-baseline justify-between text-small text-quiet">
        {t("north up, east right")}
        <span className="flex gap-2" role="group" aria-label={t("Reach of the plan")}>
          {REACHES.map((km) => (
            <button
              key={km}
              type="button"
              aria-pressed={reach === km}
              className={`min-h-6 min-w-6 cursor-pointer font-value hover:text-ink ${reach === km ? "text-ink underline underline-offset-4" : ""}`}
              onClick={() => setReach(km)}
            >
              {t("{{km}} km", { km })}
            </button>
          ))}
        </span>
      </p>
    </div>
  );
}

/** The same outlines' middles as a region has them. */
export const moveTo = (layer: CloudLayer, sky: Sky, sun: Direction | undefined, i: number, to: Km) => {
  const region = layer.regions[i];
  if (!region) return;
  [region.east_km, region.north_km] = fromPlan(to, tieOf(region, layer, sky, sun));
};
