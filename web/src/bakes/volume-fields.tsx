import { t } from "../text";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import { api } from "../data/api";
import type { BakeDraft } from "../data/bakes";
import type { Sky } from "../data/sky";
import { Button } from "../ui/button";
import { CheckLine } from "../ui/check-line";
import { Choice } from "../ui/choice";
import { FieldLine } from "../ui/field-line";
import { NumberField } from "../ui/number-field";
import { SwitchLine } from "../ui/switch-line";
import type { Fields } from "./map-fields";

/** Clouds as voxels: a box of them, or one. */
export function CloudFields({
  draft,
  set,
  sky,
  onCut,
}: Fields & { onCut?: ((draft: BakeDraft) => void) | undefined }) {
  const v = draft.volume;
  const volume = (change: Partial<typeof v>) => set({ volume: { ...v, ...change } });
  const layers = sky.clouds.filter((l) => !l.muted);
  return (
    <>
      <SwitchLine
        label={t("Which clouds")}
        value={v.cloud_at ? "one" : "box"}
        options={[
          { value: "box", title: t("All in a box") },
          { value: "one", title: t("One cloud") },
        ]}
        onChange={(next) => {
          if (next === "box") volume({ cloud_at: null, layers: [], low_m: null, high_m: null });
          else onCut?.(draft);
        }}
      />
      {v.cloud_at ? (
        <p>
          {t("The cloud at ")}
          <span className="font-value">
            {t("{{value}} km", { value: (v.cloud_at[0] / 1000).toFixed(2) })}
          </span>
          {t(" east,")}{" "}
          <span className="font-value">
            {t("{{value}} km", { value: (v.cloud_at[1] / 1000).toFixed(2) })}
          </span>
          {t(" north,")} <span className="font-value">{Math.round(v.cloud_at[2])} m</span>
          {t(" high, whole, with a margin.")}{" "}
          {onCut && (
            <Button weight="quiet" onClick={() => onCut(draft)}>
              {t("Another…")}
            </Button>
          )}
        </p>
      ) : (
        <>
          {layers.length > 1 && (
            <FieldLine title={t("Layers")}>
              <Choice
                label={t("Layers")}
                value={v.layers.length === 1 ? (v.layers[0] ?? "all") : "all"}
                options={[
                  { value: "all", title: t("All") },
                  ...layers.map((l) => ({ value: l.id, title: l.name })),
                ]}
                onChange={(id) => volume({ layers: id === "all" ? [] : [id] })}
              />
            </FieldLine>
          )}
          <div className="flex gap-4">
            <SquarePlan
              sky={sky}
              reach={20_000}
              square={{ west: v.west_m, east: v.east_m, south: v.south_m, north: v.north_m }}
              onChange={(s) => volume({ west_m: s.west, east_m: s.east, south_m: s.south, north_m: s.north })}
            />
            <div className="flex flex-col gap-1">
              {(
                [
                  [t("West"), "west_m"],
                  [t("East"), "east_m"],
                  [t("South"), "south_m"],
                  [t("North"), "north_m"],
                ] as const
              ).map(([title, field]) => (
                <label key={field} className="grid grid-cols-[3.5rem_1fr] items-baseline">
                  <span className="text-quiet">{title}</span>
                  <NumberField
                    label={t("{{title}}, km", { title })}
                    value={v[field] / 1000}
                    unit="km"
                    onChange={(km) => volume({ [field]: (km ?? 0) * 1000 })}
                  />
                </label>
              ))}
              <label className="grid grid-cols-[3.5rem_1fr] items-baseline">
                <span className="text-quiet">{t("From")}</span>
                <NumberField
                  label={t("Lowest altitude, m")}
                  value={v.low_m}
                  unit="m"
                  empty="base"
                  onChange={(low_m) => volume({ low_m })}
                />
              </label>
              <label className="grid grid-cols-[3.5rem_1fr] items-baseline">
                <span className="text-quiet">{t("To")}</span>
                <NumberField
                  label={t("Highest altitude, m")}
                  value={v.high_m}
                  unit="m"
                  empty="top"
                  onChange={(high_m) => volume({ high_m })}
                />
              </label>
            </div>
          </div>
        </>
      )}
      <FieldLine title={t("Voxels")}>
        <span className="flex items-center gap-2">
          <Choice
            label={t("Voxels")}
            value={v.voxel_m === null ? "most" : "width"}
            options={[
              { value: "most", title: t("At most so many") },
              { value: "width", title: t("So wide") },
            ]}
            onChange={(by) =>
              volume(
                by === "most" ? { voxel_m: null, most_voxels: 20e6 } : { voxel_m: 20, most_voxels: null },
              )
            }
          />
          {v.voxel_m === null ? (
            <NumberField
              label={t("Most voxels, millions")}
              value={(v.most_voxels ?? 20e6) / 1e6}
              unit="million"
              onChange={(n) => volume({ most_voxels: (n ?? 20) * 1e6 })}
            />
          ) : (
            <NumberField
              label={t("Width of a voxel, m")}
              value={v.voxel_m}
              unit="m"
              onChange={(n) => volume({ voxel_m: n ?? 20 })}
            />
          )}
        </span>
      </FieldLine>
      <FieldLine title={t("Sizes")}>
        <Choice
          label={t("Sizes")}
          value={String(v.levels)}
          options={[
            { value: "1", title: t("One") },
            { value: "2", title: t("Whole and half") },
            { value: "3", title: t("Whole, half and quarter") },
          ]}
          onChange={(n) => volume({ levels: Number(n) })}
        />
      </FieldLine>
      <div className="grid grid-cols-2">
        <CheckLine title={t("16-bit values")} on={v.half} onChange={(half) => volume({ half })} />
        <CheckLine title={t("A grid for each layer")} on={v.split} onChange={(split) => volume({ split })} />
        <CheckLine
          title={t("Baked sunlight")}
          on={v.sunlight}
          onChange={(sunlight) => volume({ sunlight })}
        />
        <CheckLine title={t("z up, y north")} on={v.z_up} onChange={(z_up) => volume({ z_up })} />
      </div>
    </>
  );
}

/** A square of ground. */
export function PlanFields({ draft, set, sky }: Fields) {
  const p = draft.plan;
  const plan = (change: Partial<typeof p>) => set({ plan: { ...p, ...change } });
  const half = p.extent_m / 2;
  const lights = [
    ...sky.suns.map((_, i) => ({
      value: String(i),
      title: sky.suns.length > 1 ? t("Sun {{i}}", { i: i + 1 }) : t("Sun"),
    })),
    ...(sky.moon.risen ? [{ value: String(sky.suns.length), title: t("Moon") }] : []),
  ];
  return (
    <>
      {draft.purpose === "shadow" && lights.length > 1 && (
        <FieldLine title={t("Light")}>
          <Choice
            label={t("Light")}
            value={String(draft.light)}
            options={lights}
            onChange={(n) => set({ light: Number(n) })}
          />
        </FieldLine>
      )}
      <FieldLine title={t("Size")}>
        <Choice
          label={t("Size")}
          value={String(p.width)}
          options={[512, 1024, 2048, 4096, 8192].map((w) => ({ value: String(w), title: `${w} × ${w}` }))}
          onChange={(w) => plan({ width: Number(w) })}
        />
      </FieldLine>
      <FieldLine title={t("Square")}>
        <NumberField
          label={t("Length of a side, km")}
          value={p.extent_m / 1000}
          unit="km"
          onChange={(km) => plan({ extent_m: (km ?? 20) * 1000 })}
        />
      </FieldLine>
      <SquarePlan
        sky={sky}
        reach={40_000}
        even
        square={{
          west: p.east_m - half,
          east: p.east_m + half,
          south: p.north_m - half,
          north: p.north_m + half,
        }}
        onChange={(s) =>
          plan({
            east_m: (s.west + s.east) / 2,
            north_m: (s.south + s.north) / 2,
            extent_m: Math.max(100, s.east - s.west),
          })
        }
      />
      <p className="text-small text-quiet">
        <span className="font-value">{(p.extent_m / p.width).toFixed(1)} m</span>
        {t(" a pixel, float, north up.")}
      </p>
    </>
  );
}

type Box = { west: number; east: number; south: number; north: number };
const SIDE = 232;

/** Clouds from above with a box on them: drag it, drag a corner, or draw a new one beside it. */
function SquarePlan({
  sky,
  reach,
  square,
  even = false,
  onChange,
}: {
  sky: Sky;
  /** Metres from the middle to an edge. */
  reach: number;
  square: Box;
  even?: boolean;
  onChange: (box: Box) => void;
}) {
  const [picture, setPicture] = useState<string | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<{ by: "box" | "corner"; from: [number, number]; box: Box } | null>(null);
  const key = JSON.stringify(sky);
  useEffect(() => {
    const gone = new AbortController();
    let url = "";
    api
      .plan(JSON.parse(key), { east_m: 0, north_m: 0, extent_m: 2 * reach }, gone.signal)
      .then((blob) => setPicture((url = URL.createObjectURL(blob))))
      .catch(() => undefined);
    return () => {
      gone.abort();
      URL.revokeObjectURL(url);
    };
  }, [key, reach]);
  const scale = SIDE / 2 / reach;
  const at = (e: PointerEvent): [number, number] => {
    const box = svg.current?.getBoundingClientRect();
    return [
      (e.clientX - (box?.left ?? 0) - SIDE / 2) / scale,
      (SIDE / 2 - (e.clientY - (box?.top ?? 0))) / scale,
    ];
  };
  const grasp = (by: "box" | "corner") => (e: PointerEvent) => {
    e.stopPropagation();
    svg.current?.setPointerCapture(e.pointerId);
    held.current = { by, from: at(e), box: square };
  };
  const round = (v: number) => Math.round(Math.max(-reach, Math.min(reach, v)) / 10) * 10;
  const move = (e: PointerEvent) => {
    const hold = held.current;
    if (!hold) return;
    const [x, y] = at(e);
    const [dx, dy] = [x - hold.from[0], y - hold.from[1]];
    const b = hold.box;
    if (hold.by === "box")
      return onChange({
        west: round(b.west + dx),
        east: round(b.east + dx),
        south: round(b.south + dy),
        north: round(b.north + dy),
      });
    const wide = Math.max(100, x - b.west);
    const high = even ? wide : Math.max(100, b.north - y);
    onChange({ west: b.west, north: b.north, east: round(b.west + wide), south: round(b.north - high) });
  };
  const [left, top] = [SIDE / 2 + square.west * scale, SIDE / 2 - square.north * scale];
  const [width, height] = [(square.east - square.west) * scale, (square.north - square.south) * scale];
  return (
    <figure className="shrink-0">
      <svg
        ref={svg}
        data-testid="square-plan"
        width={SIDE}
        height={SIDE}
        className="block touch-none bg-bench select-none"
        role="img"
        aria-label={t("Clouds from above, {{value}} km across, north up", { value: (2 * reach) / 1000 })}
        onPointerMove={move}
        onPointerUp={() => (held.current = null)}
      >
        {picture && <image href={picture} width={SIDE} height={SIDE} />}
        <path
          d={`M${SIDE / 2 - 5} ${SIDE / 2} h10 M${SIDE / 2} ${SIDE / 2 - 5} v10`}
          stroke="var(--color-ink)"
          pointerEvents="none"
        />
        <rect
          x={left}
          y={top}
          width={Math.max(1, width)}
          height={Math.max(1, height)}
          fill="transparent"
          stroke="var(--color-accent-light)"
          strokeWidth="1.5"
          className="cursor-grab"
          onPointerDown={grasp("box")}
        />
        <circle
          cx={left + width}
          cy={top + height}
          r={6}
          fill="var(--color-accent-light)"
          className="cursor-grab"
          onPointerDown={grasp("corner")}
        />
      </svg>
      <figcaption className="text-small text-quiet">
        <span className="font-value">{t("{{value}} km", { value: (2 * reach) / 1000 })}</span>
        {t(" across, north up, the eye in the middle")}
      </figcaption>
    </figure>
  );
}
