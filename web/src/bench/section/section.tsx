import { t } from "../../text";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import { showNumber } from "../../data/number";
import type { CloudKind, CloudLayer, Sky } from "../../data/sky";
import { FirstHint } from "../../ui/first-hints";
import { useBench } from "../store/bench-store";
import { layerOf, selectionOf, sunOf, worldOf, worldSelection, type Selection } from "../store/selection";
import { fogName, sunLine, sunName, worldName } from "../sheet/document-rows";
import { addLayer, fromTheTop, kindAt, MOST_LAYERS } from "../layers/layers";
import { LayerOutline } from "./layer-outline";

/** Strips above the air and below the ground, pixels. */
const BEYOND = 124;
/** Where stars and other worlds begin in the line of the moon. */
const STARS = 68;
const WORLDS = 116;
const LAND = 74;
const TOP_OF_AIR = 100_000;
/** Altitude over which the scale turns from even to logarithmic, m. */
const KNEE = 900;
const LEFT = 44;
/** Altitude beside which a layer is added, m. */
const ADDING = 38_000;

const spread = Math.log(1 + TOP_OF_AIR / KNEE);

/** Altitude is drawn so that the lowest kilometres have most of the room. */
export function scaleFor(height: number) {
  const room = height - BEYOND - LAND;
  return {
    y: (h: number) => BEYOND + room * (1 - Math.log(1 + Math.max(h, 0) / KNEE) / spread),
    altitude: (y: number) => KNEE * (Math.exp(spread * (1 - (y - BEYOND) / room)) - 1),
  };
}

/** Where on the Section a part is: there it points at the Sheet. */
function anchorOf(selection: Selection, sky: Sky, height: number): number {
  const { y } = scaleFor(height);
  const layer = sky.clouds[layerOf(selection, sky)];
  const strip: Partial<Record<Selection, number>> = { moon: 60, night: 60, place: 84, source: 108 };
  if (sunOf(selection) !== null) return 24;
  if (selection === "worlds" || worldOf(selection) !== null) return 60;
  if (selection === "fog") return y(0) - 12;
  if (selection === "land") return y(0) + 14;
  if (selection === "air") return y(30_000);
  if (layer) return y(layer.base_m + 0.5 * layer.depth_m);
  if (selection === "clouds") return y(ADDING) - 4;
  if (selection === "drift") return y(ADDING) + 19;
  return strip[selection] ?? (selection === "eye" ? y(sky.eye.altitude_m) : height - 24);
}

/** Height of a grip, and least height of what lies between a layer's two, pixels. */
const GRIP = 8;
const LEAST_BAND = 10;

/** Where a band's grips lie: over its edges, and off them where it is too thin to be taken between them. */
function gripsOf(top: number, base: number): { top: number; base: number } {
  const out = Math.max(0, LEAST_BAND - (base - top - GRIP)) / 2;
  return {
    top: top - GRIP / 2 - Math.min(out, GRIP / 2 + LEAST_BAND / 2),
    base: base - GRIP / 2 + Math.min(out, GRIP / 2 + LEAST_BAND / 2),
  };
}

type Drag = { grip: "band" | "base" | "top" | "eye"; y: number; layer: string; base: number; depth: number };

/** Room for a layer's name, pixels. */
const NAME_LINE = 14;

/** Where each layer's name stands: over the layer, or over the names that are there already. */
function nameLines(sky: Sky, y: (h: number) => number): Map<string, number> {
  const taken: number[] = [];
  const lines = fromTheTop(sky).map((layer): [string, number] => [
    layer.id,
    y(layer.base_m + layer.depth_m) - 5,
  ]);
  // From the lowest up, so that those above give way.
  for (const line of lines.reverse()) {
    for (const other of taken) {
      if (Math.abs(line[1] - other) < NAME_LINE) line[1] = other - NAME_LINE;
    }
    taken.push(line[1]);
    taken.sort((a, b) => b - a);
  }
  return new Map(lines);
}

const MARKS = [0, 500, 1000, 2000, 5000, 10_000, 20_000, 50_000, 100_000];

/** An altitude cross-section: the outline of the document, drawn from its real altitudes. */
export function Section({ sky, usual }: { sky: Sky; usual: Record<CloudKind, CloudLayer> }) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 220, height: 700 });
  const selection = useBench((s) => s.selection);
  const { select, change, settle } = useBench.getState();
  const drag = useRef<Drag | null>(null);

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const fit = () => setSize({ width: element.clientWidth, height: element.clientHeight });
    const watch = new ResizeObserver(fit);
    watch.observe(element);
    fit();
    return () => watch.disconnect();
  }, []);

  const { width, height } = size;
  const { y, altitude } = scaleFor(height);
  const right = width - 10;

  const take = (grip: Drag["grip"], layer?: CloudLayer) => (e: PointerEvent<SVGElement>) => {
    e.stopPropagation();
    e.currentTarget.setPointerCapture(e.pointerId);
    const { id = "", base_m: base = 0, depth_m: depth = 0 } = layer ?? {};
    drag.current = { grip, y: e.clientY, layer: id, base, depth };
  };
  const move = (e: PointerEvent<SVGElement>) => {
    const d = drag.current;
    if (!d || Math.abs(e.clientY - d.y) < 2) return;
    const to = (from: number) => nice(Math.max(0, altitude(y(from) + e.clientY - d.y)));
    const withLayer = (s: Sky, edit: (l: CloudLayer) => void) => {
      const l = s.clouds.find((l) => l.id === d.layer);
      if (l) edit(l);
    };
    const edited: Record<Drag["grip"], (s: Sky) => void> = {
      eye: (s) => {
        s.eye.altitude_m = Math.max(1, Math.min(400_000, nice(altitude(e.clientY - top()))));
      },
      band: (s) => withLayer(s, (l) => (l.base_m = Math.min(18_000, to(d.base)))),
      base: (s) =>
        withLayer(s, (l) => {
          const base = Math.min(to(d.base), d.base + d.depth - 10, 18_000);
          l.base_m = base;
          l.depth_m = nice(d.base + d.depth - base);
        }),
      top: (s) =>
        withLayer(
          s,
          (l) => (l.depth_m = Math.max(10, Math.min(15_000, nice(to(d.base + d.depth) - d.base)))),
        ),
    };
    change(edited[d.grip], true);
  };
  const top = () => box.current?.getBoundingClientRect().top ?? 0;
  const drop = (select_: Selection) => (e: PointerEvent<SVGElement>) => {
    const d = drag.current;
    drag.current = null;
    settle();
    if (d && Math.abs(e.clientY - d.y) < 3) select(selection === select_ ? null : select_);
  };
  /** `add`: puts the part into the sky before it is selected. */
  const pick = (p: Selection, add?: (s: Sky) => void) => ({
    role: "button",
    tabIndex: 0,
    "data-testid": `section-${p}`,
    "aria-pressed": selection === p,
    className: "cursor-pointer",
    onClick: () => choose(p, add),
    onKeyDown: (e: React.KeyboardEvent) => (e.key === "Enter" || e.key === " ") && choose(p, add),
  });
  const choose = (p: Selection, add?: (s: Sky) => void) => {
    if (add) change(add);
    select(selection === p && !add ? null : p);
  };

  const eyeY = y(sky.eye.altitude_m);
  const names = nameLines(sky, y);
  return (
    <div ref={box} className="relative h-full w-[220px] shrink-0 border-r border-line bg-panel select-none">
      <FirstHint name="section" className="top-[45%] left-1" />
      <svg
        width={width}
        height={height}
        className="block touch-none"
        aria-label={t("Section: the sky by altitude")}
      >
        {/* beyond the air: lights, and what the sky is made of */}
        <Beyond sky={sky} width={width} selection={selection} pick={pick} />

        {/* air */}
        <g
          {...pick("air")}
          aria-label={t("Air {{visibility_km}} km", { visibility_km: showNumber(sky.air.visibility_km) })}
        >
          <rect
            y={BEYOND}
            width={width}
            height={height - BEYOND - LAND}
            fill="transparent"
            onDoubleClick={(e) => {
              if (sky.clouds.length >= MOST_LAYERS) return;
              const kind = kindAt(usual, altitude(e.clientY - top()));
              change((s) => {
                addLayer(s, usual[kind], kind.replaceAll("_", "-"));
              });
              const added = useBench.getState().sky?.clouds.at(-1);
              if (added) select(selectionOf(added));
            }}
          />
          <AirProfile
            y={y}
            left={LEFT}
            right={right}
            scaleHeight={sky.air.aerosol_scale_height_m}
            ozone={sky.air.ozone_du}
          />
          <text x={LEFT + 8} y={y(62_000)} fill="#ececec" fontSize={12.5}>
            {t("Air")}
          </text>
          <text x={LEFT + 8} y={y(62_000) + 15} fill="#b9b9b9" fontSize={11} fontFamily="var(--font-value)">
            {t("{{visibility_km}} km", { visibility_km: showNumber(sky.air.visibility_km) })}
          </text>
          <text x={right} y={y(23_500)} fill="#b9b9b9" fontSize={11} textAnchor="end">
            {t("ozone")}
          </text>
          <Mark on={selection === "air"} from={BEYOND + 4} to={y(12_000)} />
        </g>
        <g aria-hidden>
          {MARKS.map((h) => (
            <g key={h}>
              <line x1={LEFT - 5} x2={LEFT} y1={y(h)} y2={y(h)} stroke="#8a8a8a" />
              <text
                x={LEFT - 8}
                y={y(h) + 3.5}
                textAnchor="end"
                fill="#b9b9b9"
                fontSize={10.5}
                fontFamily="var(--font-value)"
              >
                {h >= 1000 ? h / 1000 : h === 500 ? "0.5" : "0"}
              </text>
            </g>
          ))}
          <text x={LEFT - 8} y={y(100_000) - 9} textAnchor="end" fill="#b9b9b9" fontSize={10.5}>
            {t("km")}
          </text>
          <line x1={LEFT} x2={LEFT} y1={y(TOP_OF_AIR)} y2={y(0)} stroke="#8a8a8a" />
        </g>

        {/* clouds: what is selected lies on top */}
        <g {...pick("clouds")} aria-label={t("Add clouds")}>
          <rect x={LEFT + 1} y={y(ADDING) - 17} width={90} height={24} fill="transparent" />
          <text x={LEFT + 8} y={y(ADDING)} fill="#b9b9b9" fontSize={11.5} textDecoration="underline">
            {t("Add clouds")}
          </text>
          <Mark on={selection === "clouds"} from={y(ADDING) - 14} to={y(ADDING) + 4} />
        </g>
        <g {...pick("drift")} aria-label={t("Wind {{wind}}", { wind: windLine(sky) })}>
          <rect x={LEFT + 1} y={y(ADDING) + 7} width={130} height={24} fill="transparent" />
          <text
            x={LEFT + 8}
            y={y(ADDING) + 23}
            fill="#b9b9b9"
            fontSize={11.5}
            stroke="var(--color-panel)"
            strokeWidth={4}
            paintOrder="stroke"
          >
            {t("Wind")}{" "}
            <tspan fontFamily="var(--font-value)" fontSize={11}>
              {windLine(sky)}
            </tspan>
          </text>
          <Mark on={selection === "drift"} from={y(ADDING) + 8} to={y(ADDING) + 30} />
        </g>
        {fromTheTop(sky)
          .sort((a, b) => Number(selectionOf(a) === selection) - Number(selectionOf(b) === selection))
          .map((layer) => ({ layer, grips: gripsOf(y(layer.base_m + layer.depth_m), y(layer.base_m)) }))
          .map(({ layer, grips }) => (
            <g key={layer.id}>
              <g
                {...pick(selectionOf(layer))}
                aria-label={t("Clouds: {{name}}, {{base_m}} m and {{depth_m}} m deep{{value}}", {
                  name: layer.name,
                  base_m: showNumber(layer.base_m),
                  depth_m: showNumber(layer.depth_m),
                  value: layer.muted ? t(", muted") : "",
                })}
                onClick={undefined}
                className="cursor-grab active:cursor-grabbing"
                onPointerDown={take("band", layer)}
                onPointerMove={move}
                onPointerUp={drop(selectionOf(layer))}
              >
                <rect
                  x={LEFT + 1}
                  y={y(layer.base_m + layer.depth_m)}
                  width={right - LEFT}
                  height={Math.max(6, y(layer.base_m) - y(layer.base_m + layer.depth_m))}
                  fill="#ffffff"
                  fillOpacity={0.06}
                />
                <rect
                  x={LEFT + 1}
                  y={grips.top + GRIP}
                  width={right - LEFT}
                  height={grips.base - grips.top - GRIP}
                  fill="transparent"
                />
                <LayerOutline layer={layer} y={y} left={LEFT + 1} right={right} />
                <text
                  x={LEFT + 8}
                  y={names.get(layer.id)}
                  fill="#ececec"
                  fontSize={12.5}
                  fontWeight={selection === selectionOf(layer) ? 600 : undefined}
                  textDecoration={layer.muted ? "line-through" : undefined}
                >
                  {layer.name}
                </text>
                <Mark
                  on={selection === selectionOf(layer)}
                  from={y(layer.base_m + layer.depth_m)}
                  to={y(layer.base_m)}
                />
              </g>
              {(["top", "base"] as const).map((edge) => (
                <rect
                  key={edge}
                  data-testid={`section-${edge}-${layer.id}`}
                  x={LEFT}
                  width={right - LEFT}
                  height={GRIP}
                  y={grips[edge]}
                  fill="transparent"
                  className="cursor-ns-resize"
                  onPointerDown={take(edge, layer)}
                  onPointerMove={move}
                  onPointerUp={drop(selectionOf(layer))}
                />
              ))}
            </g>
          ))}

        {/* low fog on the land */}
        <g {...pick("fog", sky.fog.amount > 0 ? undefined : addFog)} aria-label={fogLine(sky)}>
          <rect x={LEFT + 1} y={y(0) - 30} width={right - LEFT} height={30} fill="transparent" />
          {sky.fog.amount > 0 && (
            <polygon
              points={fogShape(sky, y, LEFT + 1, right)}
              fill="#ececec"
              fillOpacity={sky.fog.muted ? 0.06 : 0.3}
            />
          )}
          <text
            x={LEFT + 8}
            y={y(0) - 16}
            fill={sky.fog.amount > 0 ? "#ececec" : "#b9b9b9"}
            fontSize={11.5}
            textDecoration={sky.fog.muted ? "line-through" : sky.fog.amount > 0 ? undefined : "underline"}
          >
            {fogLine(sky)}
          </text>
          <Mark on={selection === "fog"} from={y(0) - 24} to={y(0)} />
        </g>

        {/* the eye's height */}
        <g
          {...pick("eye")}
          onClick={undefined}
          aria-label={t("eye {{altitude_m}} m", { altitude_m: showNumber(sky.eye.altitude_m) })}
          className="cursor-ns-resize"
          onPointerDown={take("eye")}
          onPointerMove={move}
          onPointerUp={drop("eye")}
        >
          {/* At the right alone: an eye near the ground must not cover what fog and land are taken by. */}
          <rect x={LEFT + 76} y={eyeY - 12} width={right - LEFT - 76} height={24} fill="transparent" />
          <line x1={LEFT} x2={right} y1={eyeY} y2={eyeY} stroke="#ececec" strokeDasharray="2 3" />
          <path d={`M${LEFT} ${eyeY - 4} l7 4 l-7 4 z`} fill="#ececec" />
          <text x={right} y={eyeY - 4} textAnchor="end" fill="#ececec" fontSize={11.5}>
            {t("eye ")}
            <tspan fontFamily="var(--font-value)">{showNumber(sky.eye.altitude_m)} m</tspan>
          </text>
          <Mark on={selection === "eye"} from={eyeY - 9} to={eyeY + 9} />
        </g>

        {/* land, and the grade under everything */}
        <line x1={LEFT} x2={width} y1={y(0) + 0.5} y2={y(0) + 0.5} stroke="#ececec" />
        <g {...pick("land", sky.land.shown ? undefined : addLand)} aria-label={landLine(sky)}>
          <rect x={LEFT} y={y(0) + 1} width={width - LEFT} height={24} fill="transparent" />
          {Array.from({ length: 14 }, (_, i) => (
            <line
              key={i}
              x1={LEFT + 4 + i * 13}
              x2={LEFT - 2 + i * 13}
              y1={y(0) + 2}
              y2={y(0) + 10}
              stroke="#8a8a8a"
              aria-hidden
            />
          ))}
          {sky.land.shown && !sky.land.muted && <path d={coast(LEFT, y(0))} fill="#8a8a8a" aria-hidden />}
          <text
            x={LEFT + 8}
            y={y(0) + 22}
            fill={sky.land.shown ? "#ececec" : "#b9b9b9"}
            fontSize={11.5}
            textDecoration={sky.land.muted ? "line-through" : sky.land.shown ? undefined : "underline"}
          >
            {landLine(sky)}
          </text>
          <Mark on={selection === "land"} from={y(0) + 2} to={y(0) + 24} />
        </g>
        <g {...pick("grade")} aria-label={t("Grade {{grade}}", { grade: gradeLine(sky) })}>
          <rect y={height - LAND + 26} width={width} height={LAND - 26} fill="#262626" />
          <text x={LEFT + 8} y={height - 27} fill="#ececec" fontSize={12.5}>
            {t("Grade")}
          </text>
          <text x={LEFT + 8} y={height - 11} fill="#b9b9b9" fontSize={11} fontFamily="var(--font-value)">
            {gradeLine(sky)}
          </text>
          <Mark on={selection === "grade"} from={height - LAND + 30} to={height - 4} />
        </g>
        {selection && <Pointer y={anchorOf(selection, sky, height)} width={width} />}
      </svg>
    </div>
  );
}

/** Points from what is selected at the Sheet beside it. */
const Pointer = ({ y, width }: { y: number; width: number }) => (
  <path d={`M${width - 10} ${y - 6} l9 6 l-9 6 z`} fill="var(--color-accent-light)" aria-hidden />
);

/** The strip beyond the air: suns and moon as discs, place and time, and the kind of sky. */
function Beyond({
  sky,
  width,
  selection,
  pick,
}: {
  sky: Sky;
  width: number;
  selection: Selection | null;
  pick: (p: Selection) => React.SVGProps<SVGGElement> & { "data-testid": string };
}) {
  const lights: { selection: Selection; name: string; line: string; muted: boolean }[] = sky.suns.map(
    (s, i) => ({
      selection: `sun${i}` as Selection,
      name: sunName(sky, i),
      line: sunLine(sky, i),
      muted: s.muted,
    }),
  );
  const one = lights.length === 1;
  const step = one ? width - LEFT : (width - LEFT - 8) / lights.length;
  return (
    <g>
      <rect width={width} height={BEYOND} fill="#1f1f1f" />
      {lights.map((l, i) => {
        const x = LEFT + i * step;
        return (
          <g
            key={l.selection}
            {...pick(l.selection)}
            aria-label={`${l.name}, ${l.line}${l.muted ? t(", muted") : ""}`}
          >
            <rect x={x} y={2} width={step} height={42} fill="transparent" />
            <circle cx={x + 12} cy={one ? 22 : 16} r={8} fill="none" stroke="#ececec" />
            <circle cx={x + 12} cy={one ? 22 : 16} r={2} fill="#ececec" />
            <text
              x={one ? x + 30 : x + 2}
              y={one ? 20 : 39}
              fill="#ececec"
              fontSize={one ? 12.5 : 11}
              textDecoration={l.muted ? "line-through" : undefined}
            >
              {l.name}
            </text>
            {one && (
              <text x={x + 30} y={35} fill="#b9b9b9" fontSize={11} fontFamily="var(--font-value)">
                {l.line}
              </text>
            )}
            {selection === l.selection && (
              <rect x={x} y={42} width={one ? 60 : step - 6} height={2} fill="var(--color-accent-light)" />
            )}
          </g>
        );
      })}
      <Line
        selection="moon"
        label={sky.moon.risen ? t("Moon") : t("No moon")}
        y={48}
        on={selection === "moon"}
        pick={pick}
        width={LEFT + STARS}
      >
        {sky.moon.risen ? t("Moon") : t("No moon")}
      </Line>
      <Line
        selection="night"
        label={t("Stars {{stars}}", { stars: starsOf(sky) })}
        y={48}
        left={LEFT + STARS}
        on={selection === "night"}
        pick={pick}
        width={LEFT + WORLDS}
      >
        {t("Stars")}
      </Line>
      <Line
        selection={sky.worlds.length > 0 ? worldSelection(worldOf(selection) ?? 0) : "worlds"}
        label={worldsLine(sky)}
        y={48}
        left={LEFT + WORLDS}
        on={selection === "worlds" || worldOf(selection) !== null}
        pick={pick}
        width={width}
      >
        {t("Worlds")}
      </Line>
      <Line
        selection="place"
        label={t("Place: {{name}} {{moment}}", { name: sky.place.name, moment: momentOf(sky) })}
        y={72}
        on={selection === "place"}
        pick={pick}
        width={width}
      >
        {sky.place.name || t("Place")}{" "}
        <tspan fontFamily="var(--font-value)" fontSize={11} fill="#b9b9b9">
          {momentOf(sky)}
        </tspan>
      </Line>
      <Line
        selection="source"
        label={t("Sky {{made}}", { made: madeOf(sky) })}
        y={96}
        on={selection === "source"}
        pick={pick}
        width={width}
      >
        {t("Sky")}{" "}
        <tspan fontSize={11} fill="#b9b9b9">
          {madeOf(sky)}
        </tspan>
      </Line>
    </g>
  );
}

/** A bank that is seen at once; its other values are as they were. */
const addFog = (s: Sky) => {
  s.fog.amount = 0.8;
  s.fog.muted = false;
};

const addLand = (s: Sky) => {
  s.land.shown = true;
  s.land.muted = false;
};

const windLine = ({ drift }: Sky) =>
  `${showNumber(drift.wind_m_s)} m/s${drift.passed_min > 0 ? t(", {{passed_min}} min", { passed_min: showNumber(drift.passed_min) }) : ""}`;

const fogLine = ({ fog }: Sky) =>
  fog.amount > 0 ? t("Low {{value}}", { value: fogName(fog.visibility_km).toLowerCase() }) : t("Add low fog");

const landLine = ({ land }: Sky) => (land.shown ? t("Trial land") : t("Add trial land"));

const gradeLine = ({ grade }: Sky) =>
  t("{{ev100}} EV {{white_k}} K", { ev100: showNumber(grade.ev100), white_k: Math.round(grade.white_k) });

/** Date and hour, as the Section shows them. */
const momentOf = (sky: Sky) => `${sky.place.at.slice(5, 10)} ${sky.place.at.slice(11, 16)}`;

const worldsLine = (sky: Sky) =>
  sky.worlds.length === 0 ? t("No other world") : sky.worlds.map((_, i) => worldName(sky, i)).join(", ");

const starsOf = (sky: Sky) =>
  ({ place: t("by place and time"), hand: t("by hand"), invented: t("invented") })[sky.night.stars.field.by];

const madeOf = (sky: Sky) =>
  ({ air: t("of air"), standard: t("after the standard"), gradient: t("painted") })[sky.source.made_of.kind];

/** A line; `label` is what is read out. */
function Line({
  selection,
  label,
  y,
  left = LEFT,
  on,
  width,
  pick,
  children,
}: {
  selection: Selection;
  label: string;
  y: number;
  left?: number;
  on: boolean;
  width: number;
  pick: (p: Selection) => React.SVGProps<SVGGElement> & { "data-testid": string };
  children: React.ReactNode;
}) {
  return (
    <g {...pick(selection)} aria-label={label}>
      <rect x={left} y={y} width={width - left} height={24} fill="transparent" />
      <text x={left + 4} y={y + 16} fill="#ececec" fontSize={12}>
        {children}
      </text>
      <Mark on={on} from={y + 3} to={y + 21} x={width - MARK} />
    </g>
  );
}

/** A line of headlands and stacks that stands for the land. */
const coast = (x: number, y: number) =>
  `M${x + 1} ${y} l6 -9 l14 -4 l10 6 l8 7 h10 l2 -8 h4 l2 8 h14 l4 -5 l18 -7 l22 3 l12 9 Z`;

/** Fog as it thins upward: as wide as it is dense. */
function fogShape(sky: Sky, y: (h: number) => number, left: number, right: number): string {
  const { from_height_m: from, to_height_m: to, depth_m: depth, amount } = sky.fog;
  const top = Math.min(to, from + 5 * depth);
  const points = Array.from({ length: 13 }, (_, i) => {
    const h = from + ((top - from) * i) / 12;
    return `${left + (right - left) * amount * Math.exp(-(h - from) / depth)},${y(h).toFixed(1)}`;
  });
  return [`${left},${y(from)}`, ...points, `${left},${y(top)}`].join(" ");
}

/** How far from the right edge a mark begins, px. */
const MARK = 13;

/** A bar at the right edge tells what is selected. */
function Mark({ on, from, to, x = 220 - MARK }: { on: boolean; from: number; to: number; x?: number }) {
  return on ? (
    <rect x={x} y={from} width={3} height={Math.max(6, to - from)} fill="var(--color-accent-light)" />
  ) : null;
}

const nice = (v: number) =>
  v < 100 ? Math.round(v) : v < 2000 ? Math.round(v / 10) * 10 : Math.round(v / 50) * 50;

/** Amounts of aerosol and ozone over altitude, as two curves from the axis. */
function AirProfile({
  y,
  left,
  right,
  scaleHeight,
  ozone,
}: {
  y: (h: number) => number;
  left: number;
  right: number;
  scaleHeight: number;
  ozone: number;
}) {
  const span = (right - left) * 0.8;
  const curve = (amount: (h: number) => number) =>
    Array.from({ length: 121 }, (_, i) => {
      const h = TOP_OF_AIR * (i / 120) ** 3;
      return `${left + span * Math.min(1, amount(h))},${y(h).toFixed(1)}`;
    }).join(" ");
  const bulge = (h: number) => (Math.max(0, 1 - Math.abs(h - 22_500) / 15_000) * ozone) / 600;
  return (
    <g fill="none" strokeWidth={1} aria-hidden>
      <polyline points={curve((h) => Math.exp(-h / scaleHeight))} stroke="#8a8a8a" />
      <polyline points={curve(bulge)} stroke="#8a8a8a" strokeDasharray="3 2" />
    </g>
  );
}
