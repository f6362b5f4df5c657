import { t } from "../../text";
import { useEffect, useRef, useState, type PointerEvent, type RefObject } from "react";
import type { Pin } from "../../data/api";
import {
  displayDifference,
  lightDifference,
  stepColour,
  stepOf,
  STEPS,
  summary,
} from "../../data/difference";
import { arrowOf } from "../../ui/arrow-keys";
import { Button } from "../../ui/button";
import { SwitchLine } from "../../ui/switch-line";
import type { PreviewFrame } from "../preview/preview-socket";
import { useComparing, wayTitles, type Way } from "../store/comparing";
import { PinnedPicture } from "./pinned-picture";

/** Milliseconds for which each of two pictures is seen: slower than what may trouble people (WCAG 2.3.1). */
const FLICKER_MS = 700;

type Compared = {
  pin: Pin;
  /** Pixels of the Picture. */
  width: number;
  height: number;
  panorama: boolean;
};

/** What lies over the Picture while it is compared with a pin. Side by side nothing does. */
export function Comparison({
  frame,
  canvas,
  ...compared
}: Compared & { frame: PreviewFrame | null; canvas: RefObject<HTMLCanvasElement | null> }) {
  const way = useComparing((s) => s.way);
  if (way === "wipe") return <Wipe {...compared} />;
  if (way === "flicker") return <Flicker {...compared} />;
  return way === "difference" ? <Difference {...compared} frame={frame} canvas={canvas} /> : null;
}

/** The pin up to an edge that is dragged, or moved by keys. */
function Wipe(compared: Compared) {
  const edge = useComparing((s) => s.edge);
  const { setEdge } = useComparing.getState();
  const box = useRef<HTMLDivElement>(null);
  const move = (e: PointerEvent<HTMLButtonElement>) => {
    const to = box.current?.getBoundingClientRect();
    if (to && e.currentTarget.hasPointerCapture(e.pointerId)) setEdge((e.clientX - to.left) / to.width);
  };
  return (
    <div ref={box} className="pointer-events-none absolute inset-0 z-10">
      <div
        className="absolute inset-0"
        style={{ clipPath: `inset(0 ${(100 * (1 - edge)).toFixed(3)}% 0 0)` }}
      >
        <PinnedPicture {...compared} />
      </div>
      <button
        type="button"
        role="slider"
        data-own-keys
        data-testid="wipe-edge"
        aria-label={t("Edge between the pin at the left and the sky at the right")}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * edge)}
        className={
          "pointer-events-auto absolute top-0 bottom-0 w-6 -translate-x-1/2 cursor-ew-resize " + "touch-none"
        }
        style={{ left: `${100 * edge}%` }}
        onPointerDown={(e) => {
          e.stopPropagation();
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={move}
        onKeyDown={(e) => {
          const ends: Record<string, number> = { Home: 0, End: 1 };
          const step = arrowOf(e.key);
          const end = ends[e.key];
          if (end === undefined && !step) return;
          e.preventDefault();
          setEdge(end ?? edge + 0.02 * (step?.[0] ?? 0));
        }}
      >
        <span
          className={
            "absolute inset-y-0 left-1/2 w-[3px] -translate-x-1/2 bg-white " + "outline outline-black/60"
          }
        />
      </button>
    </div>
  );
}

/** The pin and the sky one after the other; by a press where motion is not wanted. */
function Flicker(compared: Compared) {
  const [shown, setShown] = useState(true);
  const still = matchMedia("(prefers-reduced-motion: reduce)").matches;
  useEffect(() => {
    if (still) return;
    const turn = setInterval(() => setShown((v) => !v), FLICKER_MS);
    return () => clearInterval(turn);
  }, [still]);
  return (
    <div className="pointer-events-none absolute inset-0 z-10">
      <div className="absolute inset-0" style={{ visibility: shown ? "visible" : "hidden" }}>
        <PinnedPicture {...compared} />
      </div>
      <span
        data-testid="flicker"
        className="absolute top-2 left-2 rounded-soft bg-bench px-2 py-1 text-small"
      >
        {shown ? compared.pin.name : t("now")}
      </span>
      {still && (
        <Button
          className="pointer-events-auto absolute top-2 right-2 bg-bench"
          onClick={() => setShown((v) => !v)}
        >
          {t("Swap")}
        </Button>
      )}
    </div>
  );
}

/** By how many stops the sky is brighter or darker than the pin, as colours with their key. */
function Difference({
  frame,
  canvas,
  ...compared
}: Compared & { frame: PreviewFrame | null; canvas: RefObject<HTMLCanvasElement | null> }) {
  const [pinned, setPinned] = useState<PreviewFrame | null>(null);
  const [photograph, setPhotograph] = useState<HTMLImageElement | null>(null);
  const drawing = useRef<HTMLCanvasElement>(null);
  const [told, setTold] = useState("");
  const { pin, width, height } = compared;
  useEffect(() => {
    const stops = pin.document
      ? frame && pinned && lightDifference(frame, pinned)
      : photograph && canvas.current && photographDifference(canvas.current, photograph);
    if (!stops || !drawing.current || stops.length !== width * height) return;
    draw(drawing.current, stops, width, height);
    const { mean, most } = summary(stops);
    const of = pin.document ? t("scene light without discs") : t("display values");
    setTold(
      t("{{of}}: {{mean}} stops in the mean, nine tenths within {{most}}", {
        of,
        mean: mean.toFixed(2),
        most: most.toFixed(2),
      }),
    );
  }, [pin, frame, pinned, photograph, canvas, width, height]);
  return (
    <div className="pointer-events-none absolute inset-0 z-10">
      {/* What it is the difference to lies under it. */}
      <div className="absolute inset-0">
        <PinnedPicture {...compared} onFrame={setPinned} onPhotograph={setPhotograph} />
      </div>
      <canvas
        ref={drawing}
        data-testid="difference"
        className="absolute inset-0 h-full w-full"
        aria-label={t("Difference in stops")}
      />
      <div className="absolute inset-x-0 bottom-0 bg-bench">
        <p role="status" data-testid="difference-told" className="px-2 text-small">
          {told || t("waiting for both pictures…")}
        </p>
        <ol aria-label={t("Stops brighter now than the pin")} className="flex">
          {Array.from({ length: STEPS.length + 1 }, (_, i) => (
            <li
              key={i}
              className="flex-1 text-center font-value text-small text-black"
              style={{ background: `rgb(${stepColour(i).join(" ")})` }}
            >
              {i === 0
                ? t("under {{value}}", { value: STEPS[0] })
                : `${(STEPS[i - 1] ?? 0) > 0 ? "+" : ""}${STEPS[i - 1]}`}
            </li>
          ))}
        </ol>
      </div>
    </div>
  );
}

/** The difference of the Picture and a photograph; nothing where this browser can't read them. */
function photographDifference(picture: HTMLCanvasElement, photograph: HTMLImageElement) {
  const [now, was] = [bytesOf(picture, picture), bytesOf(photograph, picture)];
  return now && was && displayDifference(now, was);
}

/** Bytes of a picture as large as the Picture's, whole inside it as `object-fit: contain` has it. */
function bytesOf(source: HTMLCanvasElement | HTMLImageElement, size: HTMLCanvasElement) {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [size.width, size.height];
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  const [w, h] =
    source instanceof HTMLImageElement
      ? [source.naturalWidth, source.naturalHeight]
      : [source.width, source.height];
  if (!pen || !w || !h) return null;
  const scale = Math.min(size.width / w, size.height / h);
  const [dw, dh] = [w * scale, h * scale];
  pen.drawImage(source, (size.width - dw) / 2, (size.height - dh) / 2, dw, dh);
  return pen.getImageData(0, 0, size.width, size.height).data;
}

function draw(canvas: HTMLCanvasElement, stops: Float32Array, width: number, height: number) {
  [canvas.width, canvas.height] = [width, height];
  const image = new ImageData(width, height);
  const colours = Array.from({ length: STEPS.length + 1 }, (_, i) => stepColour(i));
  stops.forEach((v, i) => {
    const colour = Number.isNaN(v) ? undefined : colours[stepOf(v)];
    if (colour) image.data.set([...colour, 255], 4 * i);
  });
  canvas.getContext("2d")?.putImageData(image, 0, 0);
}

/** Under the Picture: with what it is compared, and how. */
export function CompareBar() {
  const pin = useComparing((s) => s.pin);
  const way = useComparing((s) => s.way);
  const { compare, setWay } = useComparing.getState();
  if (!pin) return null;
  return (
    <section
      aria-label={t("Comparing")}
      data-testid="compare-bar"
      className="flex shrink-0 items-center gap-4 border-t border-line bg-panel px-3"
    >
      <p className="min-w-0 truncate">
        <span className="text-quiet">{t("Compared with")}</span> {pin.name}
      </p>
      <SwitchLine
        label={t("How to compare")}
        value={way}
        options={(Object.keys(wayTitles) as Way[]).map((value) => ({ value, title: wayTitles[value] }))}
        onChange={(v) => setWay(v as Way)}
      />
      <Button weight="quiet" className="ml-auto" onClick={() => compare(null)}>
        {t("Stop comparing")}
      </Button>
    </section>
  );
}
