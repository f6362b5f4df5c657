import { t } from "../../text";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { api } from "../../data/api";
import { anglesOf, toward, type Direction, type Seen, type View } from "../../data/camera";
import type { Placement, Sky } from "../../data/sky";
import { useDay } from "../day/use-day";
import { useBench } from "../store/bench-store";
import { useLooking } from "../store/looking";
import { worldName } from "../sheet/document-rows";
import { layerOf, worldSelection, type Selection } from "../store/selection";
import type { Frame } from "../store/view";
import { layerAt } from "./drag-layer";
import { exposedGrade } from "./exposure";
import { moveLight, nudgeLight, type Body } from "./move-light";
import type { PreviewFrame } from "./preview-socket";
import { lightAt, readAt } from "./reading";

/** Where a light stands in the document, or as it was last computed from its place and time. */
const directionOf = (p: Placement, computed: Direction | undefined): Direction | null =>
  p.by === "hand" ? toward(p.azimuth_deg, p.elevation_deg) : (computed ?? null);

/** Takes the cloud at a place of the frame into the bake that waits for it. */
async function cutOut(sky: Sky, x: number, y: number) {
  const { notify, setCutting, setBaking } = useBench.getState();
  try {
    const cloud = await api.pickCloud(sky, x, y);
    const draft = useBench.getState().cutting;
    if (!draft) return;
    if (!cloud) return notify(t("There is no cloud at this place. Click on one, or press Escape."));
    notify(null);
    setCutting(null);
    setBaking({
      ...draft,
      volume: {
        ...draft.volume,
        layers: [cloud.layer],
        cloud_at: [cloud.east_m, cloud.north_m, cloud.altitude_m],
        low_m: null,
        high_m: null,
      },
    });
  } catch (e) {
    notify(String(e instanceof Error ? e.message : e));
  }
}

type Light = { light: Body; selection: Selection; name: string; direction: Direction | null };

function lightsOf(sky: Sky, frame: PreviewFrame | null): Light[] {
  const lights: Light[] = sky.suns.map((sun, i) => ({
    light: i,
    selection: `sun${i}` as Selection,
    name: sky.suns.length > 1 ? t("sun {{i}}", { i: i + 1 }) : t("sun"),
    direction: directionOf(sun.placement, frame?.discs[i]?.direction),
  }));
  if (sky.moon.risen) {
    const computed = frame?.discs[sky.suns.length]?.direction;
    lights.push({
      light: "moon",
      selection: "moon",
      name: t("moon"),
      direction: directionOf(sky.moon.placement, computed),
    });
  }
  sky.worlds.forEach((world, i) => {
    if (world.muted || !world.seen) return;
    lights.push({
      light: { world: i },
      selection: worldSelection(i),
      name: worldName(sky, i),
      direction: toward(world.azimuth_deg, world.elevation_deg),
    });
  });
  return lights;
}

/** Pointer work on the Picture: handles of lights, picking colours, reading, and turning the camera. */
export function Hands({
  sky,
  view,
  frame,
  size,
  shown,
}: {
  sky: Sky;
  view: View;
  frame: PreviewFrame | null;
  size: { width: number; height: number };
  shown: boolean;
}) {
  const { change, settle, select, pick, drawFrame } = useBench.getState();
  const picking = useBench((s) => s.picking);
  const cutting = useBench((s) => s.cutting);
  const keeping = useLooking((s) => s.keeping);
  const readings = useLooking((s) => s.readings);
  const { point, keepReading } = useLooking.getState();
  const framing = useBench((s) => s.framing);
  const [drawn, setDrawn] = useState<[Place, Place] | null>(null);
  const day = useDay(sky);
  const dragging = useBench((s) => s.dragging);
  const selection = useBench((s) => s.selection);
  const from = useRef<{ x: number; y: number; heading: number; pitch: number } | null>(null);
  const held = useRef<{ place: [number, number]; slide: [number, number] } | null>(null);
  const eye = sky.eye;
  const index = layerOf(selection, sky);
  const placeUnder = (e: PointerEvent<Element>): Place => {
    const box = e.currentTarget.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };
  const dragged = (e: PointerEvent<HTMLDivElement>) => {
    const layer = sky.clouds[index];
    return layer ? layerAt(sky, layer, view.directionAt(...placeUnder(e))) : null;
  };
  const read = (e: PointerEvent<HTMLDivElement>) => {
    if (frame) point(readAt(frame, view, exposedGrade(sky, frame), ...placeUnder(e)));
  };

  const turn = {
    onPointerDown: (e: PointerEvent<HTMLDivElement>) => {
      if (e.button !== 0) return;
      if (picking && frame) {
        picking(lightAt(frame, ...placeUnder(e)));
        pick(null);
        return;
      }
      if (cutting) {
        void cutOut(sky, ...placeUnder(e));
        return;
      }
      if (framing) {
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrawn([placeUnder(e), placeUnder(e)]);
        return;
      }
      if (keeping) {
        read(e);
        keepReading();
        return;
      }
      e.currentTarget.setPointerCapture(e.pointerId);
      const layer = sky.clouds[index];
      const place = dragging ? dragged(e) : null;
      if (layer && place) {
        held.current = { place, slide: [layer.slide_east_m, layer.slide_north_m] };
        return;
      }
      from.current = { x: e.clientX, y: e.clientY, heading: eye.heading_deg, pitch: eye.pitch_deg };
    },
    onPointerMove: (e: PointerEvent<HTMLDivElement>) => {
      if (drawn) return setDrawn([drawn[0], placeUnder(e)]);
      const hold = held.current;
      const to = hold && dragged(e);
      if (hold && to)
        return change((s) => {
          const l = s.clouds[index];
          if (!l) return;
          l.slide_east_m = Math.round(clamp(hold.slide[0] + to[0] - hold.place[0], -1e6, 1e6));
          l.slide_north_m = Math.round(clamp(hold.slide[1] + to[1] - hold.place[1], -1e6, 1e6));
        }, true);
      const start = from.current;
      if (!start) return read(e);
      const perPixel = view.across / size.width;
      change((s) => {
        s.eye.heading_deg = round((start.heading - (e.clientX - start.x) * perPixel + 720) % 360);
        // The panorama shows all heights already.
        if (view.across < 360)
          s.eye.pitch_deg = round(clamp(start.pitch + (e.clientY - start.y) * perPixel, -90, 90));
      }, true);
    },
    onPointerUp: () => {
      if (drawn) {
        setDrawn(null);
        const frame = frameBetween(...drawn);
        // A press without a way drawn is no rectangle; it is still waited for.
        if (frame.right - frame.left > 0.01 && frame.bottom - frame.top > 0.01) {
          drawFrame(null);
          framing?.(frame);
        }
      }
      from.current = null;
      held.current = null;
      settle();
    },
    onPointerLeave: () => point(null),
  };

  const dragLight = ({ light, selection }: Light) => ({
    onPointerDown: (e: PointerEvent<HTMLButtonElement>) => {
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
    },
    onPointerMove: (e: PointerEvent<HTMLButtonElement>) => {
      if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const box = e.currentTarget.parentElement?.getBoundingClientRect();
      if (!box) return;
      const place = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height] as const;
      moveLight(light, view.directionAt(...place), day);
    },
    onPointerUp: (e: PointerEvent<HTMLButtonElement>) => {
      e.stopPropagation();
      settle();
      // Not before: the Sheet that unfolds moves the Picture under the hand.
      select(selection);
    },
  });

  const cursor =
    picking || cutting || keeping || framing
      ? "cursor-crosshair"
      : dragging
        ? "cursor-grab active:cursor-grabbing"
        : "";
  return (
    <div className={`absolute inset-0 touch-none overflow-hidden ${cursor}`} {...turn}>
      {drawn && <Drawn frame={frameBetween(...drawn)} />}
      {readings.map((reading, i) => (
        <ReadingMark key={i} name={"AB"[i] ?? ""} place={view.placeOf(reading.direction)} />
      ))}
      {shown &&
        lightsOf(sky, frame).map(
          (l) =>
            l.direction && (
              <LightHandle
                key={l.selection}
                name={l.name}
                selection={l.selection}
                place={view.placeOf(l.direction)}
                at={l.direction}
                drag={dragLight(l)}
                onKey={(e) => l.direction && nudgeLight(e, l.light, l.direction, day)}
                onChoose={() => select(l.selection)}
              />
            ),
        )}
    </div>
  );
}

type Place = [number, number];

function frameBetween([x0, y0]: Place, [x1, y1]: Place): Frame {
  const inside = (v: number) => clamp(v, 0, 1);
  return {
    left: inside(Math.min(x0, x1)),
    right: inside(Math.max(x0, x1)),
    top: inside(Math.min(y0, y1)),
    bottom: inside(Math.max(y0, y1)),
  };
}

/** The rectangle that is being drawn. */
const Drawn = ({ frame: { left, right, top, bottom } }: { frame: Frame }) => (
  <span
    aria-hidden
    className="pointer-events-none absolute border-2 border-dashed border-white outline outline-black/50"
    style={{
      left: `${100 * left}%`,
      width: `${100 * (right - left)}%`,
      top: `${100 * top}%`,
      height: `${100 * (bottom - top)}%`,
    }}
  />
);

/** Where a reading was kept. */
function ReadingMark({ name, place }: { name: string; place: Seen }) {
  if (!place.ahead || Math.abs(place.x - 0.5) > 0.5 || Math.abs(place.y - 0.5) > 0.5) return null;
  return (
    <span
      aria-hidden
      data-testid={`reading-${name}`}
      className="pointer-events-none absolute font-value text-small text-white"
      style={{ left: `${place.x * 100}%`, top: `${place.y * 100}%` }}
    >
      <svg width="18" height="18" viewBox="-9 -9 18 18" className="absolute -top-[9px] -left-[9px]">
        <path d="M-8 0H-2M2 0H8M0-8V-2M0 2V8" stroke="#000" strokeOpacity="0.6" strokeWidth="3.5" />
        <path d="M-8 0H-2M2 0H8M0-8V-2M0 2V8" stroke="#fff" strokeWidth="1.25" />
      </svg>
      <span className="absolute top-1 left-2 bg-bench px-1 leading-tight">{name}</span>
    </span>
  );
}

function LightHandle({
  name,
  selection,
  place,
  at,
  drag,
  onKey,
  onChoose,
}: {
  name: string;
  selection: Selection;
  place: Seen;
  at: Direction;
  drag: Record<string, (e: PointerEvent<HTMLButtonElement>) => void>;
  onKey: (e: KeyboardEvent) => void;
  /** By keys; a pointer chooses when it lets go. */
  onChoose: () => void;
}) {
  const inside = place.ahead && place.x >= 0 && place.x <= 1 && place.y >= 0 && place.y <= 1;
  const [azimuth, elevation] = anglesOf(at);
  const title = name.replace(/^./, (c) => c.toUpperCase());
  const label = t("{{title}} at {{azimuth}}°, {{elevation}}° high", {
    title,
    azimuth: azimuth.toFixed(0),
    elevation: elevation.toFixed(1),
  });
  // Outside the frame a tab at its edge stands for the light, and can be dragged in.
  const x = place.ahead ? clamp(place.x, 0.03, 0.97) : place.x < 0.5 ? 0.97 : 0.03;
  const y = clamp(place.y, 0.04, 0.96);
  return (
    <button
      type="button"
      data-testid={selection === "sun0" ? "sun-handle" : `${selection}-handle`}
      aria-label={t("{{label}}; drag it, or move it by the arrow keys", { label })}
      onKeyDown={onKey}
      onClick={(e) => e.detail === 0 && onChoose()}
      title={label}
      className="absolute -translate-x-1/2 -translate-y-1/2 cursor-grab active:cursor-grabbing"
      style={{ left: `${(inside ? place.x : x) * 100}%`, top: `${(inside ? place.y : y) * 100}%` }}
      {...drag}
    >
      {inside ? (
        <svg width="44" height="44" viewBox="-22 -22 44 44" aria-hidden>
          <circle r="15" fill="none" stroke="#000" strokeOpacity="0.35" strokeWidth="3.5" />
          <circle
            r="15"
            fill="none"
            stroke="var(--color-accent-light)"
            strokeWidth="2"
            strokeDasharray="5 2.85"
          />
        </svg>
      ) : (
        <span className="rounded-soft bg-accent px-2 py-1 text-small text-white">{name}</span>
      )}
    </button>
  );
}

const clamp = (v: number, low: number, high: number) => Math.max(low, Math.min(high, v));
const round = (v: number) => Math.round(v * 100) / 100;
