import { t } from "../../../text";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { CURVE_STEPS, drawnCurve } from "../../../data/grade";
import type { CurvePoint, DrawnCurves, Sky } from "../../../data/sky";
import { arrowOf } from "../../../ui/arrow-keys";
import { Button } from "../../../ui/button";
import { NumberField } from "../../../ui/number-field";
import { SwitchLine } from "../../../ui/switch-line";
import { useBench } from "../../store/bench-store";
import { PlotPoint } from "../../layers/plot-point";

type Channel = keyof DrawnCurves;

const SIDE = 200;
const MOST_POINTS = 16;
const STEP = 0.01;
const tidy = (v: number) => Math.round(Math.max(0, Math.min(1, v)) * 1000) / 1000;
const channels: { value: Channel; title: string }[] = [
  { value: "together", title: t("Together") },
  { value: "red", title: t("Red") },
  { value: "green", title: t("Green") },
  { value: "blue", title: t("Blue") },
];

/** The curve as points of the drawing. */
const lineOf = (points: CurvePoint[]) =>
  Array.from(drawnCurve(points))
    .flatMap((v, i) =>
      i % 16 === 0 ? [`${((SIDE * i) / CURVE_STEPS).toFixed(1)},${(SIDE * (1 - v)).toFixed(1)}`] : [],
    )
    .join(" ");

/** Curves of display values, drawn by hand: for all channels together, and for each. */
export function CurveRows({ sky }: { sky: Sky }) {
  const { change, settle } = useBench.getState();
  const [channel, setChannel] = useState<Channel>("together");
  const plot = useRef<SVGSVGElement>(null);
  const dragged = useRef<number | null>(null);
  const points = sky.grade.curves[channel];
  const edit = (then: (points: CurvePoint[]) => void, moving = false) =>
    change((s) => then(s.grade.curves[channel]), moving);
  const at = (e: PointerEvent): CurvePoint => {
    const box = plot.current?.getBoundingClientRect();
    return {
      from: tidy((e.clientX - (box?.left ?? 0)) / SIDE),
      to: tidy(1 - (e.clientY - (box?.top ?? 0)) / SIDE),
    };
  };
  const press = (i: number) => (e: KeyboardEvent) => {
    const step = arrowOf(e.key);
    if (e.key === "Delete") edit((list) => list.splice(i, 1));
    if (!step) return;
    e.preventDefault();
    edit((list) => {
      const p = list[i];
      if (p) list[i] = { from: tidy(p.from + STEP * step[0]), to: tidy(p.to + STEP * step[1]) };
    });
  };
  return (
    <div data-testid="curves">
      <SwitchLine
        label={t("Which curve")}
        value={channel}
        options={channels}
        onChange={(v) => setChannel(v as Channel)}
      />
      <svg
        ref={plot}
        width={SIDE}
        height={SIDE}
        className="touch-none overflow-visible bg-bench"
        aria-label={t("Curve, {{channel}}: display value in to the right, out upward", { channel })}
        onPointerDown={(e) => {
          if (points.length >= MOST_POINTS) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          dragged.current = points.length;
          edit((list) => list.push(at(e)), true);
        }}
        onPointerMove={(e) => {
          const i = dragged.current;
          if (i !== null) edit((list) => (list[i] = at(e)), true);
        }}
        onPointerUp={() => {
          dragged.current = null;
          settle();
        }}
      >
        {[0.25, 0.5, 0.75].map((v) => (
          <g key={v} className="stroke-line">
            <line x1={SIDE * v} x2={SIDE * v} y1={0} y2={SIDE} />
            <line x1={0} x2={SIDE} y1={SIDE * v} y2={SIDE * v} />
          </g>
        ))}
        <polyline points={lineOf(points)} fill="none" className="stroke-ink" strokeWidth={1.25} />
        {points.map((p, i) => (
          <PlotPoint
            key={i}
            label={t("Point from {{from}} to {{to}}", { from: p.from, to: p.to })}
            cx={SIDE * p.from}
            cy={SIDE * (1 - p.to)}
            plot={plot}
            onGrab={() => (dragged.current = i)}
            onRemove={() => edit((list) => list.splice(i, 1))}
            onKeyDown={press(i)}
          />
        ))}
      </svg>
      <ul className="pt-1">
        {points.map((p, i) => (
          <li key={i} className="flex items-center gap-2">
            {(["from", "to"] as const).map((end) => (
              <NumberField
                key={end}
                label={t("Point {{i}}, {{end}}", { i: i + 1, end: end === "from" ? t("from") : t("to") })}
                value={p[end]}
                onChange={(v) =>
                  edit((list) => {
                    const point = list[i];
                    if (point && v !== null) point[end] = tidy(v);
                  })
                }
              />
            ))}
            <Button weight="quiet" className="px-1" onClick={() => edit((list) => list.splice(i, 1))}>
              {t("Delete")}
            </Button>
          </li>
        ))}
      </ul>
      {points.length < MOST_POINTS && (
        <Button weight="quiet" onClick={() => edit((list) => list.push({ from: 0.5, to: 0.5 }))}>
          {t("Add a point")}
        </Button>
      )}
    </div>
  );
}
