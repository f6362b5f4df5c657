import { t } from "../../../text";
import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import type { Sky, Wheel as Balance } from "../../../data/sky";
import { arrowOf } from "../../../ui/arrow-keys";
import { useBench } from "../../store/bench-store";

const [SIDE, RADIUS] = [92, 36];
/** Value of a channel at the rim. */
const REACH = 0.3;
const STEP = 0.01;
const third = (2 * Math.PI) / 3;
/** Red to the top, green and blue a third of the way round each, counterclockwise. */
const axes = [0, 1, 2].map((i) => [-Math.sin(i * third), Math.cos(i * third)] as const);

/** Offset of a wheel's mark from its middle, in shares of its radius: right and up. */
export function markOf({ red, green, blue }: Balance): [number, number] {
  const sum = (k: 0 | 1) =>
    [red, green, blue].reduce((total, v, i) => total + v * (axes[i]?.[k] ?? 0), 0) * (2 / 3 / REACH);
  return [sum(0), sum(1)];
}

/** What a mark means for the channels; they add up to nothing. */
export function balanceOf([x, y]: [number, number]): Pick<Balance, "red" | "green" | "blue"> {
  const of = (i: number) =>
    Math.round(1000 * REACH * (x * (axes[i]?.[0] ?? 0) + y * (axes[i]?.[1] ?? 0))) / 1000;
  return { red: of(0), green: of(1), blue: of(2) };
}

/** Red, green and blue against each other, by one mark in a disc. */
export function WheelPad({ title, of, edit }: { title: string; of: Balance; edit: (sky: Sky) => Balance }) {
  const { change, settle } = useBench.getState();
  const pad = useRef<SVGSVGElement>(null);
  const set = ([x, y]: [number, number], moving: boolean) => {
    const far = Math.max(1, Math.hypot(x, y));
    change((s) => Object.assign(edit(s), balanceOf([x / far, y / far])), moving);
  };
  const under = (e: PointerEvent): [number, number] => {
    const box = pad.current?.getBoundingClientRect();
    return [
      (e.clientX - (box?.left ?? 0) - SIDE / 2) / RADIUS,
      (SIDE / 2 - e.clientY + (box?.top ?? 0)) / RADIUS,
    ];
  };
  const [x, y] = markOf(of);
  const press = (e: KeyboardEvent) => {
    const step = arrowOf(e.key);
    if (!step) return;
    e.preventDefault();
    set([x + (STEP * step[0]) / REACH, y + (STEP * step[1]) / REACH], false);
  };
  return (
    <svg
      ref={pad}
      role="slider"
      tabIndex={0}
      aria-label={t("{{title}}: colour", { title })}
      aria-valuenow={Math.round(100 * Math.hypot(x, y))}
      aria-valuetext={t("red {{red}}, green {{green}}, blue {{blue}}", {
        red: of.red,
        green: of.green,
        blue: of.blue,
      })}
      width={SIDE}
      height={SIDE}
      viewBox={`${-SIDE / 2} ${-SIDE / 2} ${SIDE} ${SIDE}`}
      className="shrink-0 cursor-crosshair touch-none"
      onKeyDown={press}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        set(under(e), true);
      }}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && set(under(e), true)}
      onPointerUp={settle}
    >
      <circle r={RADIUS} className="fill-bench stroke-edge" />
      {axes.map(([ax, ay], i) => (
        <g key={i}>
          <line x2={RADIUS * ax} y2={-RADIUS * ay} className="stroke-line" />
          <text
            x={(RADIUS + 6) * ax}
            y={-(RADIUS + 6) * ay + 3.5}
            textAnchor="middle"
            className="fill-quiet text-[10px]"
          >
            {"rgb"[i]}
          </text>
        </g>
      ))}
      <circle cx={RADIUS * x} cy={-RADIUS * y} r={4.5} className="fill-panel stroke-ink" strokeWidth={1.5} />
    </svg>
  );
}
