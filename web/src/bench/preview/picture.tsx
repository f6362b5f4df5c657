import { useEffect, useRef, useState, type PointerEvent } from "react";
import {
  anglesOf,
  aspects,
  directionAt,
  halfWidth,
  placeOf,
  toward,
  type Direction,
} from "../../data/camera";
import { api } from "../../data/api";
import { unpack } from "../../data/develop";
import type { Placement, Sky } from "../../data/sky";
import { useBench } from "../store/bench-store";
import { shownSky } from "../store/document";
import { layerOf, type Selection } from "../store/selection";
import type { Rgb } from "../store/view";
import { layerAt } from "./drag-layer";
import { PreviewSocket, type PreviewFrame } from "./preview-socket";
import { exposedGrade } from "./exposure";
import { moveLight } from "./move-light";
import { DisplayTransform } from "./display-transform";
import { useDay } from "../day/use-day";

const LARGEST = 1600;

/** Where a light stands in the document, or as it was last computed from its place and time. */
const directionOf = (p: Placement, computed: Direction | undefined): Direction | null =>
  p.by === "hand" ? toward(p.azimuth_deg, p.elevation_deg) : (computed ?? null);

/** What the camera sees, with handles on its lights. */
export function Picture({ handles }: { handles: boolean }) {
  const area = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const developer = useRef<DisplayTransform | null>(null);
  const live = useRef<PreviewSocket | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [connected, setConnected] = useState(true);
  const [fault, setFault] = useState<string | null>(null);
  const sky = useBench(shownSky);
  const frame = useBench((s) => s.frame);

  useEffect(() => {
    const client = new PreviewSocket({
      frame: (next) => {
        setFault(null);
        useBench.getState().setFrame(next);
      },
      problems: (problems) => setFault(problems.map((p) => `${p.path}: ${p.message}`).join("; ")),
      connected: setConnected,
    });
    live.current = client;
    return () => client.close();
  }, []);

  // The picture fills its frame as far as its proportions let it.
  const aspect = sky ? aspects[sky.eye.frame] : 16 / 9;
  useEffect(() => {
    const box = area.current;
    if (!box) return;
    const fit = () => {
      const { clientWidth: w, clientHeight: h } = box;
      const width = Math.floor(Math.min(w, h * aspect));
      setSize({ width, height: Math.round(width / aspect) });
    };
    const watch = new ResizeObserver(fit);
    watch.observe(box);
    fit();
    return () => watch.disconnect();
  }, [aspect]);

  // What changes scene light is asked for; the grade is the shader's alone.
  const scale = Math.min(window.devicePixelRatio, LARGEST / Math.max(size.width, 1));
  const [width, height] = [Math.round(size.width * scale), Math.round(size.height * scale)];
  const asked = sky && JSON.stringify({ ...sky, grade: null });
  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (now && width >= 16 && height >= 16) live.current?.request(now, width, height);
  }, [asked, width, height]);

  // The last frame is developed again when the grade changes.
  const developed = sky && JSON.stringify(exposedGrade(sky, frame));
  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!canvas.current || !now || width < 16) return;
    if (canvas.current.width !== width) canvas.current.width = width;
    if (canvas.current.height !== height) canvas.current.height = height;
    try {
      developer.current ??= new DisplayTransform(canvas.current);
      developer.current.draw(now.eye, exposedGrade(now, useBench.getState().frame));
    } catch (e) {
      queueMicrotask(() => setFault(String(e)));
    }
  }, [developed, width, height]);

  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!frame || !developer.current || !now) return;
    developer.current.load(frame);
    developer.current.draw(now.eye, exposedGrade(now, frame));
  }, [frame, width, height]);

  return (
    <div ref={area} className="relative min-h-0 min-w-0 flex-1 overflow-hidden bg-surround">
      <div
        data-testid="picture"
        data-stage={frame?.stage}
        data-number={frame?.number}
        data-milliseconds={frame?.milliseconds}
        className="absolute inset-0 m-auto"
        style={size}
      >
        <canvas ref={canvas} className="block h-full w-full" aria-label="What the camera sees" />
        {sky && <Hands sky={sky} frame={frame} size={size} shown={handles} />}
      </div>
      {(fault || !connected) && (
        <p role="alert" className="absolute bottom-2 left-2 rounded-soft bg-bench px-2 py-1">
          {connected ? `No new picture: ${fault}` : "The server can't be reached; the last picture stays."}
        </p>
      )}
    </div>
  );
}

/** Linear light of the picture at a place, 0..1 from the upper left. */
function lightAt(frame: PreviewFrame, x: number, y: number): Rgb {
  const column = Math.max(0, Math.min(frame.width - 1, Math.floor(x * frame.width)));
  const row = Math.max(0, Math.min(frame.height - 1, Math.floor(y * frame.height)));
  return unpack(frame.words[row * frame.width + column] ?? 0).map((v) => v * 2 ** frame.exponent) as Rgb;
}

/** Takes the cloud at a place of the frame into the bake that waits for it. */
async function cutOut(sky: Sky, x: number, y: number) {
  const { notify, setCutting, setBaking } = useBench.getState();
  try {
    const cloud = await api.pickCloud(sky, x, y);
    const draft = useBench.getState().cutting;
    if (!draft) return;
    if (!cloud) return notify("There is no cloud at this place. Click on one, or press Escape.");
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

type Light = { light: number | "moon"; selection: Selection; name: string; direction: Direction | null };

function lightsOf(sky: Sky, frame: PreviewFrame | null): Light[] {
  const lights: Light[] = sky.suns.map((sun, i) => ({
    light: i,
    selection: `sun${i}` as Selection,
    name: sky.suns.length > 1 ? `sun ${i + 1}` : "sun",
    direction: directionOf(sun.placement, frame?.discs[i]?.direction),
  }));
  if (sky.moon.risen) {
    const computed = frame?.discs[sky.suns.length]?.direction;
    lights.push({
      light: "moon",
      selection: "moon",
      name: "moon",
      direction: directionOf(sky.moon.placement, computed),
    });
  }
  return lights;
}

/** Pointer work on the Picture: handles of lights, picking colours, and turning the camera. */
function Hands({
  sky,
  frame,
  size,
  shown,
}: {
  sky: Sky;
  frame: PreviewFrame | null;
  size: { width: number; height: number };
  shown: boolean;
}) {
  const { change, settle, select, pick } = useBench.getState();
  const picking = useBench((s) => s.picking);
  const cutting = useBench((s) => s.cutting);
  const day = useDay(sky);
  const dragging = useBench((s) => s.dragging);
  const selection = useBench((s) => s.selection);
  const from = useRef<{ x: number; y: number; heading: number; pitch: number } | null>(null);
  const held = useRef<{ place: [number, number]; slide: [number, number] } | null>(null);
  const eye = sky.eye;
  const index = layerOf(selection, sky);
  const dragged = (e: PointerEvent<HTMLDivElement>) => {
    const layer = sky.clouds[index];
    const box = e.currentTarget.getBoundingClientRect();
    if (!layer) return null;
    return layerAt(sky, layer, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
  };

  const turn = {
    onPointerDown: (e: PointerEvent<HTMLDivElement>) => {
      if (e.button !== 0) return;
      if (picking && frame) {
        const box = e.currentTarget.getBoundingClientRect();
        picking(lightAt(frame, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height));
        pick(null);
        return;
      }
      if (cutting) {
        const box = e.currentTarget.getBoundingClientRect();
        void cutOut(sky, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
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
      if (!start) return;
      const perPixel = ((2 * halfWidth(eye)) / size.width) * (180 / Math.PI);
      change((s) => {
        s.eye.heading_deg = round((start.heading - (e.clientX - start.x) * perPixel + 720) % 360);
        s.eye.pitch_deg = round(clamp(start.pitch + (e.clientY - start.y) * perPixel, -90, 90));
      }, true);
    },
    onPointerUp: () => {
      from.current = null;
      held.current = null;
      settle();
    },
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
      const d = directionAt(eye, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      moveLight(light, d, day);
    },
    onPointerUp: (e: PointerEvent<HTMLButtonElement>) => {
      e.stopPropagation();
      settle();
      // Not before: the Sheet that unfolds moves the Picture under the hand.
      select(selection);
    },
  });

  return (
    <div
      className={`absolute inset-0 touch-none overflow-hidden ${picking || cutting ? "cursor-crosshair" : dragging ? "cursor-grab active:cursor-grabbing" : ""}`}
      {...turn}
    >
      {shown &&
        lightsOf(sky, frame).map(
          (l) =>
            l.direction && (
              <LightHandle
                key={l.selection}
                name={l.name}
                selection={l.selection}
                place={placeOf(eye, l.direction)}
                at={l.direction}
                drag={dragLight(l)}
              />
            ),
        )}
    </div>
  );
}

function LightHandle({
  name,
  selection,
  place,
  at,
  drag,
}: {
  name: string;
  selection: Selection;
  place: { x: number; y: number; ahead: boolean };
  at: Direction;
  drag: Record<string, (e: PointerEvent<HTMLButtonElement>) => void>;
}) {
  const inside = place.ahead && place.x >= 0 && place.x <= 1 && place.y >= 0 && place.y <= 1;
  const [azimuth, elevation] = anglesOf(at);
  const label = `${name.replace(/^./, (c) => c.toUpperCase())} at ${azimuth.toFixed(0)}°, ${elevation.toFixed(1)}° high`;
  // Outside the frame a tab at its edge stands for the light, and can be dragged in.
  const x = place.ahead ? clamp(place.x, 0.03, 0.97) : place.x < 0.5 ? 0.97 : 0.03;
  const y = clamp(place.y, 0.04, 0.96);
  return (
    <button
      type="button"
      data-testid={selection === "sun0" ? "sun-handle" : `${selection}-handle`}
      aria-label={`${label}; drag to move`}
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
