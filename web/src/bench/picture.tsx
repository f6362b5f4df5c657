import { useEffect, useRef, useState, type PointerEvent } from "react";
import { anglesOf, aspects, directionAt, halfWidth, placeOf, toward, type Direction } from "../data/camera";
import type { Sky } from "../data/sky";
import { useBench } from "./bench-store";
import { Live } from "./live";
import { Developer } from "./shader";

const LARGEST = 1600;

/** Where the sun stands in the document, or as it was last computed from its place and time. */
function sunDirection(sky: Sky, computed: Direction | undefined): Direction | null {
  const p = sky.sun.placement;
  return p.by === "hand" ? toward(p.azimuth_deg, p.elevation_deg) : (computed ?? null);
}

/** What the camera sees, with the sun's handle on it. */
export function Picture({ handles }: { handles: boolean }) {
  const frame = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const developer = useRef<Developer | null>(null);
  const live = useRef<Live | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [connected, setConnected] = useState(true);
  const [fault, setFault] = useState<string | null>(null);
  const sky = useBench((s) => s.sky);
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
    const now = useBench.getState().sky;
    if (now && width >= 16 && height >= 16) live.current?.ask(now, width, height);
  }, [asked, width, height]);

  useEffect(() => {
    if (!canvas.current || !sky || width < 16) return;
    canvas.current.width = width;
    canvas.current.height = height;
    try {
      developer.current ??= new Developer(canvas.current);
      developer.current.draw(sky.eye, sky.grade);
    } catch (e) {
      queueMicrotask(() => setFault(String(e)));
    }
  }, [sky, width, height]);

  useEffect(() => {
    const now = useBench.getState().sky;
    if (!shot || !developer.current || !now) return;
    developer.current.load(shot);
    developer.current.draw(now.eye, now.grade);
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
        {sky && <Hands sky={sky} computed={shot?.disc.direction} size={size} shown={handles} />}
      </div>
      {(fault || !connected) && (
        <p role="alert" className="absolute bottom-2 left-2 rounded-soft bg-bench px-2 py-1">
          {connected ? `No new picture: ${fault}` : "The server can't be reached; the last picture stays."}
        </p>
      )}
    </div>
  );
}

/** Pointer work on the Picture: the sun's handle, and turning the camera. */
function Hands({
  sky,
  computed,
  size,
  shown,
}: {
  sky: Sky;
  computed: Direction | undefined;
  size: { width: number; height: number };
  shown: boolean;
}) {
  const { change, settle, say, select } = useBench.getState();
  const from = useRef<{ x: number; y: number; heading: number; pitch: number } | null>(null);
  const eye = sky.eye;
  const sun = sunDirection(sky, computed);

  const turn = {
    onPointerDown: (e: PointerEvent<HTMLDivElement>) => {
      if (e.button !== 0) return;
      e.currentTarget.setPointerCapture(e.pointerId);
      from.current = { x: e.clientX, y: e.clientY, heading: eye.heading_deg, pitch: eye.pitch_deg };
    },
    onPointerMove: (e: PointerEvent<HTMLDivElement>) => {
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
      settle();
    },
  };

  const dragSun = {
    onPointerDown: (e: PointerEvent<HTMLButtonElement>) => {
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      select("sun");
    },
    onPointerMove: (e: PointerEvent<HTMLButtonElement>) => {
      if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
      const box = e.currentTarget.parentElement?.getBoundingClientRect();
      if (!box) return;
      const d = directionAt(eye, (e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      const [azimuth, elevation] = anglesOf(d);
      if (sky.sun.placement.by === "place")
        say("The sun came free of its place and time; one undo brings it back.");
      change((s) => {
        s.sun.placement = { by: "hand", azimuth_deg: round(azimuth), elevation_deg: round(elevation) };
      }, true);
    },
    onPointerUp: (e: PointerEvent<HTMLButtonElement>) => {
      e.stopPropagation();
      settle();
    },
  };

  return (
    <div className="absolute inset-0 touch-none overflow-hidden" {...turn}>
      {shown && sun && <SunHandle place={placeOf(eye, sun)} sun={sun} drag={dragSun} />}
    </div>
  );
}

function SunHandle({
  place,
  sun,
  drag,
}: {
  place: { x: number; y: number; ahead: boolean };
  sun: Direction;
  drag: Record<string, (e: PointerEvent<HTMLButtonElement>) => void>;
}) {
  const inside = place.ahead && place.x >= 0 && place.x <= 1 && place.y >= 0 && place.y <= 1;
  const [azimuth, elevation] = anglesOf(sun);
  const label = `Sun at ${azimuth.toFixed(0)}°, ${elevation.toFixed(1)}° high`;
  // Outside the frame a tab at its edge stands for the sun, and can be dragged in.
  const x = place.ahead ? clamp(place.x, 0.03, 0.97) : place.x < 0.5 ? 0.97 : 0.03;
  const y = clamp(place.y, 0.04, 0.96);
  return (
    <button
      type="button"
      data-testid="sun-handle"
      aria-label={`${label}; drag to move`}
      title={label}
      className="absolute -translate-x-1/2 -translate-y-1/2 cursor-grab active:cursor-grabbing"
      style={{ left: `${(inside ? place.x : x) * 100}%`, top: `${(inside ? place.y : y) * 100}%` }}
      {...drag}
    >
      {inside ? (
        <svg width="44" height="44" viewBox="-22 -22 44 44" aria-hidden>
          <circle r="15" fill="none" stroke="#000" strokeOpacity="0.35" strokeWidth="3.5" />
          <circle r="15" fill="none" stroke="var(--color-accent)" strokeWidth="2" strokeDasharray="5 2.85" />
        </svg>
      ) : (
        <span className="rounded-soft bg-accent px-2 py-1 text-small text-white">sun</span>
      )}
    </button>
  );
}

const clamp = (v: number, low: number, high: number) => Math.max(low, Math.min(high, v));
const round = (v: number) => Math.round(v * 100) / 100;
