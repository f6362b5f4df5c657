import { useEffect, useRef, useState, type PointerEvent } from "react";
import { anglesOf, aspects, directionAt, halfWidth, placeOf, toward, type Direction } from "../data/camera";
import { exposureAt, unpack } from "../data/develop";
import type { Grade, Placement, Sky } from "../data/sky";
import { layerOf, shownSky, useBench, type Part, type Rgb } from "./bench-store";
import { graspedAt } from "./grasp";
import { Live, type Shot } from "./live";
import { moveLight } from "./move-light";
import { Developer } from "./shader";
import { useDay } from "./use-day";

const LARGEST = 1600;

/** Where a light stands in the document, or as it was last computed from its place and time. */
const directionOf = (p: Placement, computed: Direction | undefined): Direction | null =>
  p.by === "hand" ? toward(p.azimuth_deg, p.elevation_deg) : (computed ?? null);

/** The grade with the exposure that holds for the first sun's height. */
function gradeNow(sky: Sky, shot: Shot | null): Grade {
  const sun = sky.suns[0] && directionOf(sky.suns[0].placement, shot?.discs[0]?.direction);
  return { ...sky.grade, ev100: exposureAt(sky.grade, sun ? anglesOf(sun)[1] : 0) };
}

/** What the camera sees, with handles on its lights. */
export function Picture({ handles }: { handles: boolean }) {
  const frame = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const developer = useRef<Developer | null>(null);
  const live = useRef<Live | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [connected, setConnected] = useState(true);
  const [fault, setFault] = useState<string | null>(null);
  const sky = useBench(shownSky);
  const shot = useBench((s) => s.shot);

  useEffect(() => {
    const client = new Live({
      shot: (next) => {
        setFault(null);
        useBench.getState().setShot(next);
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
    const box = frame.current;
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
    if (now && width >= 16 && height >= 16) live.current?.ask(now, width, height);
  }, [asked, width, height]);

  useEffect(() => {
    if (!canvas.current || !sky || width < 16) return;
    canvas.current.width = width;
    canvas.current.height = height;
    try {
      developer.current ??= new Developer(canvas.current);
      developer.current.draw(sky.eye, gradeNow(sky, useBench.getState().shot));
    } catch (e) {
      queueMicrotask(() => setFault(String(e)));
    }
  }, [sky, width, height]);

  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!shot || !developer.current || !now) return;
    developer.current.load(shot);
    developer.current.draw(now.eye, gradeNow(now, shot));
  }, [shot, width, height]);

  return (
    <div ref={frame} className="relative min-h-0 min-w-0 flex-1 overflow-hidden bg-surround">
      <div
        data-testid="picture"
        data-stage={shot?.stage}
        data-number={shot?.number}
        data-milliseconds={shot?.milliseconds}
        className="absolute inset-0 m-auto"
        style={size}
      >
        <canvas ref={canvas} className="block h-full w-full" aria-label="What the camera sees" />
        {sky && <Hands sky={sky} shot={shot} size={size} shown={handles} />}
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
function lightAt(shot: Shot, x: number, y: number): Rgb {
  const column = Math.max(0, Math.min(shot.width - 1, Math.floor(x * shot.width)));
  const row = Math.max(0, Math.min(shot.height - 1, Math.floor(y * shot.height)));
  return unpack(shot.words[row * shot.width + column] ?? 0).map((v) => v * 2 ** shot.exponent) as Rgb;
}

type Light = { light: number | "moon"; part: Part; name: string; direction: Direction | null };

function lightsOf(sky: Sky, shot: Shot | null): Light[] {
  const lights: Light[] = sky.suns.map((sun, i) => ({
    light: i,
    part: `sun${i}` as Part,
    name: sky.suns.length > 1 ? `sun ${i + 1}` : "sun",
    direction: directionOf(sun.placement, shot?.discs[i]?.direction),
  }));
  if (sky.moon.risen) {
    const computed = shot?.discs[sky.suns.length]?.direction;
    lights.push({
      light: "moon",
      part: "moon",
      name: "moon",
      direction: directionOf(sky.moon.placement, computed),
    });
  }
  return lights;
}

/** Pointer work on the Picture: handles of lights, picking colours, and turning the camera. */
function Hands({
  sky,
  shot,
  size,
  shown,
}: {
  sky: Sky;
  shot: Shot | null;
  size: { width: number; height: number };
  shown: boolean;
}) {
  const { change, settle, select, pick } = useBench.getState();
  const picking = useBench((s) => s.picking);
  const day = useDay(sky);
  const grasping = useBench((s) => s.grasping);
  const part = useBench((s) => s.part);
  const from = useRef<{ x: number; y: number; heading: number; pitch: number } | null>(null);
  const held = useRef<{ place: [number, number]; slide: [number, number] } | null>(null);
  const eye = sky.eye;
  const index = layerOf(part, sky);
  const grasped = (e: PointerEvent<HTMLDivElement>) => {
    const layer = sky.clouds[index];
    const box = e.currentTarget.getBoundingClientRect();
    if (!layer) return null;
    return graspedAt(sky, layer, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
  };

  const turn = {
    onPointerDown: (e: PointerEvent<HTMLDivElement>) => {
      if (e.button !== 0) return;
      if (picking && shot) {
        const box = e.currentTarget.getBoundingClientRect();
        picking(lightAt(shot, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height));
        pick(null);
        return;
      }
      e.currentTarget.setPointerCapture(e.pointerId);
      const layer = sky.clouds[index];
      const place = grasping ? grasped(e) : null;
      if (layer && place) {
        held.current = { place, slide: [layer.slide_east_m, layer.slide_north_m] };
        return;
      }
      from.current = { x: e.clientX, y: e.clientY, heading: eye.heading_deg, pitch: eye.pitch_deg };
    },
    onPointerMove: (e: PointerEvent<HTMLDivElement>) => {
      const hold = held.current;
      const to = hold && grasped(e);
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

  const dragLight = ({ light, part }: Light) => ({
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
      select(part);
    },
  });

  return (
    <div
      className={`absolute inset-0 touch-none overflow-hidden ${picking ? "cursor-crosshair" : grasping ? "cursor-grab active:cursor-grabbing" : ""}`}
      {...turn}
    >
      {shown &&
        lightsOf(sky, shot).map(
          (l) =>
            l.direction && (
              <LightHandle
                key={l.part}
                name={l.name}
                part={l.part}
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
  part,
  place,
  at,
  drag,
}: {
  name: string;
  part: Part;
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
      data-testid={part === "sun0" ? "sun-handle" : `${part}-handle`}
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
