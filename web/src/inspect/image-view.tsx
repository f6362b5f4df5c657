import { t } from "../text";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import type { Inspection } from "../data/bakes";
import { showNumber } from "../data/number";
import { anglesDeg, placeIn, viewDirection, type Direction3 } from "./geometry";
import { between, indexAt, put, type Shown } from "./shading";
import type { Pixels } from "./source";

/** Where a panorama is looked at, degrees, and half the width of the view at a distance of 1. */
export type Look = { azimuth: number; elevation: number; halfWidth: number };
/** A flat picture's zoom, and its middle from 0 to 1. */
export type Pan = { zoom: number; x: number; y: number };

export type View = { around: boolean; look: Look; pan: Pan };

export const firstView = (inspection: Inspection): View => ({
  around: inspection.panorama !== null,
  look: { azimuth: inspection.heading_deg, elevation: 10, halfWidth: 1 },
  pan: { zoom: 1, x: 0.5, y: 0.5 },
});

/** Draws the file into a canvas. */
function draw(
  canvas: HTMLCanvasElement,
  inspection: Inspection,
  pixels: Pixels,
  view: View,
  shown: Shown,
  coarse: number,
) {
  const width = Math.max(1, Math.floor(canvas.clientWidth / coarse));
  const height = Math.max(1, Math.floor(canvas.clientHeight / coarse));
  if (canvas.width !== width) canvas.width = width;
  if (canvas.height !== height) canvas.height = height;
  const context = canvas.getContext("2d");
  if (!context) return;
  const image = context.createImageData(width, height);
  const { values } = pixels;
  const light = new Float32Array(3);
  const layout = view.around ? inspection.panorama : null;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const place = placeOnFile(
        inspection,
        pixels,
        view,
        (x + 0.5) / width,
        (y + 0.5) / height,
        width / height,
      );
      const at = 4 * (y * width + x);
      if (!place) {
        image.data.set([118, 118, 118, 255], at);
        continue;
      }
      if (layout) {
        between(pixels, layout, place[0], place[1], light);
        put(image.data, at, light, shown);
        continue;
      }
      // A flat picture shows its own pixels.
      const i = indexAt(pixels, place[0], place[1]);
      put(image.data, at, values.subarray(i, i + 3), shown);
    }
  context.putImageData(image, 0, 0);
}

/** The place on the file that a place of the view shows. */
function placeOnFile(
  inspection: Inspection,
  pixels: Pixels,
  view: View,
  u: number,
  v: number,
  aspect: number,
): [number, number] | null {
  if (view.around && inspection.panorama) {
    const d = viewDirection(view.look, 2 * u - 1, (1 - 2 * v) / aspect);
    return placeIn(inspection.panorama, d, inspection.heading_deg);
  }
  const own = pixels.width / Math.max(1, pixels.height);
  // The whole file fits at a zoom of 1.
  const fit = Math.max(1, own / aspect);
  const x = view.pan.x + ((u - 0.5) * fit * (aspect / own)) / view.pan.zoom;
  const y = view.pan.y + ((v - 0.5) * fit) / view.pan.zoom;
  return x >= 0 && x < 1 && y >= 0 && y < 1 ? [x, y] : null;
}

/** What lies under the pointer. */
export type Reading = { values: [number, number, number]; alpha: number; direction: Direction3 | null };

/** A picture to look around in, or flat. */
export function ImageView({
  inspection,
  pixels,
  view,
  shown,
  onView,
  onRead,
  label,
}: {
  inspection: Inspection;
  pixels: Pixels;
  view: View;
  shown: Shown;
  onView: (view: View) => void;
  onRead?: (reading: Reading | null) => void;
  label: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const held = useRef<{ x: number; y: number; view: View } | null>(null);
  const [moving, setMoving] = useState(false);
  const [size, setSize] = useState("");
  useEffect(() => {
    const box = canvas.current;
    if (!box) return;
    const watch = new ResizeObserver(() => setSize(`${box.clientWidth} ${box.clientHeight}`));
    watch.observe(box);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    if (canvas.current) draw(canvas.current, inspection, pixels, view, shown, moving ? 3 : 1);
  }, [inspection, pixels, view, shown, moving, size]);

  const read = (e: PointerEvent<HTMLCanvasElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [u, v] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
    const place = placeOnFile(inspection, pixels, view, u, v, box.width / box.height);
    if (!place) return onRead?.(null);
    const i = indexAt(pixels, place[0], place[1]);
    const [r = 0, g = 0, b = 0, alpha = 1] = pixels.values.subarray(i, i + 4);
    onRead?.({
      values: [r, g, b],
      alpha,
      direction:
        view.around && inspection.panorama
          ? viewDirection(view.look, 2 * u - 1, ((1 - 2 * v) * box.height) / box.width)
          : null,
    });
  };
  const zoom = (by: number) =>
    onView(
      view.around
        ? { ...view, look: { ...view.look, halfWidth: clamp(view.look.halfWidth / by, 0.02, 4) } }
        : { ...view, pan: { ...view.pan, zoom: clamp(view.pan.zoom * by, 0.5, 64) } },
    );
  const turn = (right: number, up: number) =>
    onView(
      view.around
        ? {
            ...view,
            look: {
              ...view.look,
              azimuth: (view.look.azimuth + right + 360) % 360,
              elevation: clamp(view.look.elevation + up, -90, 90),
            },
          }
        : { ...view, pan: { ...view.pan, x: view.pan.x + right / 200, y: view.pan.y - up / 200 } },
    );
  return (
    <canvas
      ref={canvas}
      data-testid="image-view"
      aria-label={label}
      tabIndex={0}
      className="absolute inset-0 h-full w-full cursor-grab touch-none active:cursor-grabbing"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { x: e.clientX, y: e.clientY, view };
        setMoving(true);
      }}
      onPointerMove={(e) => {
        read(e);
        const hold = held.current;
        if (!hold) return;
        const box = e.currentTarget.getBoundingClientRect();
        const [dx, dy] = [e.clientX - hold.x, e.clientY - hold.y];
        if (hold.view.around) {
          const perPixel = ((2 * hold.view.look.halfWidth) / box.width) * (180 / Math.PI);
          onView({
            ...hold.view,
            look: {
              ...hold.view.look,
              azimuth: (hold.view.look.azimuth - dx * perPixel + 720) % 360,
              elevation: clamp(hold.view.look.elevation + dy * perPixel, -90, 90),
            },
          });
        } else {
          const { pan } = hold.view;
          onView({
            ...hold.view,
            pan: { ...pan, x: pan.x - dx / box.width / pan.zoom, y: pan.y - dy / box.height / pan.zoom },
          });
        }
      }}
      onPointerUp={() => {
        held.current = null;
        setMoving(false);
      }}
      onPointerLeave={() => onRead?.(null)}
      onWheel={(e) => zoom(e.deltaY < 0 ? 1.15 : 1 / 1.15)}
      onKeyDown={(e) => {
        const keys: Record<string, () => void> = {
          ArrowLeft: () => turn(-5, 0),
          ArrowRight: () => turn(5, 0),
          ArrowUp: () => turn(0, 5),
          ArrowDown: () => turn(0, -5),
          "+": () => zoom(1.25),
          "-": () => zoom(0.8),
        };
        const act = keys[e.key];
        if (act) {
          e.preventDefault();
          act();
        }
      }}
    />
  );
}

/** A reading in words. */
export function ReadingLine({ reading, unit }: { reading: Reading | null; unit: number }) {
  if (!reading) return <span className="text-quiet">{t("Point at a place to read it.")}</span>;
  const [r, g, b] = reading.values;
  const luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b;
  const angles = reading.direction && anglesDeg(reading.direction);
  return (
    <span data-testid="reading" className="font-value">
      {showNumber(r)} {showNumber(g)} {showNumber(b)}
      {unit > 0 && t(", {{showNumber}} cd/m²", { showNumber: showNumber(luminance * unit) })}
      {reading.alpha !== 1 && t(", opacity {{alpha}}", { alpha: showNumber(reading.alpha) })}
      {angles &&
        t(", azimuth {{value}}°, {{value2}}° high", {
          value: angles[0].toFixed(1),
          value2: angles[1].toFixed(1),
        })}
    </span>
  );
}

const clamp = (v: number, low: number, high: number) => Math.max(low, Math.min(high, v));
