import { t } from "../../../text";
import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { encodeSrgb } from "../../../data/develop";
import { fieldsOf, type Schema } from "../../../data/fields";
import type { Sky, SkyKind, Stop } from "../../../data/sky";
import { arrowOf } from "../../../ui/arrow-keys";
import { Button } from "../../../ui/button";
import { SwitchLine } from "../../../ui/switch-line";
import { useBench } from "../../store/bench-store";
import type { Rgb } from "../../store/view";
import { groupsOf } from "../document-rows";
import { Row } from "../row";
import { ColourRow } from "./colour-row";
import { GroupRows } from "./rows";

const kinds: Record<SkyKind["kind"], () => SkyKind> = {
  air: () => ({ kind: "air" }),
  standard: () => ({ kind: "standard", number: 12, zenith_cd_m2: 4000, kelvin: 6500 }),
  gradient: () => ({
    kind: "gradient",
    along: "elevation",
    white_cd_m2: 6000,
    stops: [
      { position_deg: 0, colour: [0.9, 0.82, 0.72], smoothness: 0.5 },
      { position_deg: 18, colour: [0.45, 0.56, 0.72], smoothness: 0.5 },
      { position_deg: 90, colour: [0.12, 0.22, 0.48], smoothness: 0.5 },
    ],
  }),
};

/** What the sky is made of, how it meets the land, and what light it gives. */
export function SourceRows({ sky, schema }: { sky: Sky; schema: Schema }) {
  const { change } = useBench.getState();
  const { made_of: made } = sky.source;
  const groups = groupsOf(sky, schema).filter((g) => g.selection === "source");
  return (
    <>
      <SwitchLine
        label={t("What the sky is made of")}
        value={made.kind}
        options={[
          { value: "air", title: t("Air") },
          { value: "standard", title: t("Standard sky") },
          { value: "gradient", title: t("Gradient") },
        ]}
        onChange={(kind) =>
          change((s) => {
            s.source.made_of = kinds[kind as SkyKind["kind"]]();
          })
        }
      />
      {made.kind === "gradient" && <Gradient made={made} schema={schema} />}
      {groups.map((g) => (
        <GroupRows key={g.fields[0]?.name} group={g} />
      ))}
    </>
  );
}

type GradientKind = Extract<SkyKind, { kind: "gradient" }>;

/** Edits the gradient of the document, if it is one. */
function editing(edit: (made: GradientKind) => void, moving = false) {
  useBench.getState().change((s) => {
    if (s.source.made_of.kind === "gradient") edit(s.source.made_of);
  }, moving);
}

const WIDTH = 262;

const css = (c: Rgb) => `rgb(${c.map((v) => Math.round(255 * encodeSrgb(v / Math.max(1, ...c)))).join(" ")})`;

/** The stops along a bar; one is chosen, dragged, coloured or dropped. */
function Gradient({ made, schema }: { made: GradientKind; schema: Schema }) {
  const settle = useBench((s) => s.settle);
  const [chosen, setChosen] = useState(0);
  const end = made.along === "sun" ? 180 : 90;
  const stop = made.stops[chosen] ?? made.stops[0];
  const at = made.stops.indexOf(stop as Stop);
  const fields = fieldsOf(schema, "Stop");
  const taken = (position: number) =>
    made.stops.some((s, i) => i !== at && Math.abs(s.position_deg - position) < 0.05);

  const place = (e: PointerEvent<Element>, box: DOMRect) =>
    Math.round(Math.max(0, Math.min(1, (e.clientX - box.left) / box.width)) * end * 10) / 10;
  const add = (e: PointerEvent<SVGRectElement>) => {
    const position = place(e, e.currentTarget.getBoundingClientRect());
    if (made.stops.length >= 16 || made.stops.some((s) => s.position_deg === position)) return;
    editing((m) =>
      m.stops.push({ position_deg: position, colour: colourAt(made.stops, position), smoothness: 0.5 }),
    );
    setChosen(made.stops.length);
  };
  const drag = (i: number) => ({
    onPointerDown: (e: PointerEvent<SVGGElement>) => {
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      setChosen(i);
    },
    onPointerMove: (e: PointerEvent<SVGGElement>) => {
      const bar = e.currentTarget.ownerSVGElement?.getBoundingClientRect();
      if (!bar || !e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const position = place(e, bar);
      if (made.stops.some((s, k) => k !== i && s.position_deg === position)) return;
      editing((m) => {
        const moved = m.stops[i];
        if (moved) moved.position_deg = position;
      }, true);
    },
    onPointerUp: settle,
  });

  const press = (i: number) => (e: KeyboardEvent) => {
    const own = made.stops[i];
    if (!own) return;
    if (e.key === "Delete" && made.stops.length > 1) {
      editing((m) => m.stops.splice(i, 1));
      return setChosen(0);
    }
    const ends: Record<string, number> = { Home: 0, End: end };
    const step = (e.shiftKey ? 10 : 1) * (arrowOf(e.key)?.reduce((a, b) => a + b) ?? 0);
    const position = ends[e.key] ?? Math.max(0, Math.min(end, own.position_deg + step));
    if (position === own.position_deg || made.stops.some((s, k) => k !== i && s.position_deg === position))
      return;
    e.preventDefault();
    editing((m) => {
      const moved = m.stops[i];
      if (moved) moved.position_deg = position;
    });
  };

  const cells = 131;
  return (
    <div className="py-1" data-testid="gradient">
      <svg width={WIDTH} height={44} className="block touch-none overflow-visible">
        {Array.from({ length: cells }, (_, i) => (
          <rect
            key={i}
            x={(i * WIDTH) / cells}
            width={WIDTH / cells + 0.5}
            height={24}
            fill={css(colourAt(made.stops, ((i + 0.5) / cells) * end))}
          />
        ))}
        <rect
          width={WIDTH}
          height={24}
          fill="transparent"
          className="cursor-copy"
          onPointerDown={add}
          data-testid="gradient-bar"
        />
        {made.stops.map((s, i) => (
          <g
            key={i}
            {...drag(i)}
            data-testid="gradient-stop"
            role="slider"
            tabIndex={0}
            aria-label={t("Stop {{i}}", { i: i + 1 })}
            aria-valuemin={0}
            aria-valuemax={end}
            aria-valuenow={s.position_deg}
            aria-valuetext={`${s.position_deg}°`}
            onFocus={() => setChosen(i)}
            onKeyDown={press(i)}
            transform={`translate(${(s.position_deg / end) * WIDTH} 0)`}
            className="cursor-ew-resize"
          >
            <rect x={-7} width={14} height={44} fill="transparent" />
            <line y1={0} y2={30} stroke="#000" strokeOpacity={0.5} strokeWidth={3} />
            <line y1={0} y2={30} stroke="#ececec" />
            <rect
              x={-5}
              y={29}
              width={10}
              height={10}
              fill={css(s.colour as Rgb)}
              stroke={i === at ? "var(--color-accent-light)" : "#ececec"}
              strokeWidth={i === at ? 2 : 1}
            />
          </g>
        ))}
      </svg>
      <p className="flex justify-between text-small text-quiet">
        <span>{made.along === "sun" ? t("at the sun") : t("horizon")}</span>
        <span>{made.along === "sun" ? t("opposite") : t("overhead")}</span>
      </p>
      {stop &&
        fields.map((f) =>
          f.kind === "number" ? (
            <Row
              key={f.name}
              field={f.name === "position_deg" ? { ...f, soft: [0, end] } : f}
              value={f.name === "position_deg" ? stop.position_deg : stop.smoothness}
              onChange={(v, moving) => {
                if (f.name === "position_deg" && taken(v)) return;
                editing((m) => {
                  const target = m.stops[at];
                  if (target) Object.assign(target, { [f.name]: v });
                }, moving);
              }}
              onSettle={settle}
            />
          ) : f.kind === "colour" ? (
            <ColourRow
              key={f.name}
              field={f}
              value={stop.colour as Rgb}
              white={made.white_cd_m2}
              onChange={(v, moving) =>
                editing((m) => {
                  const target = m.stops[at];
                  if (target) target.colour = v;
                }, moving)
              }
              onSettle={settle}
            />
          ) : null,
        )}
      {made.stops.length > 1 && (
        <Button
          weight="quiet"
          onClick={() => {
            editing((m) => m.stops.splice(at, 1));
            setChosen(0);
          }}
        >
          {t("Drop this stop")}
        </Button>
      )}
      <div className="my-2 border-t border-line" />
    </div>
  );
}

/** Colour between stops, as the core's gradient has it. */
function colourAt(stops: Stop[], position: number): Rgb {
  const sorted = [...stops].sort((a, b) => a.position_deg - b.position_deg);
  const next = sorted.findIndex((s) => s.position_deg > position);
  const above = sorted[next];
  const below = next === -1 ? sorted.at(-1) : sorted[next - 1];
  if (!below || !above) return ((below ?? above)?.colour ?? [0, 0, 0]) as Rgb;
  const t = (position - below.position_deg) / (above.position_deg - below.position_deg);
  const eased = t + (t * t * (3 - 2 * t) - t) * below.smoothness;
  return below.colour.map((v, c) => v + ((above.colour[c] ?? 0) - v) * eased) as Rgb;
}
