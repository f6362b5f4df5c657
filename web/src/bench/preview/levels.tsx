import { t } from "../../text";
import { useEffect, useRef } from "react";
import type { Grade } from "../../data/sky";
import { COLUMNS, LEVELS, levelsOf, type Levels as Counted } from "./reading";
import type { PreviewFrame } from "./preview-socket";

const HEIGHT = 72;
/** How long no new picture came before levels are counted. */
const REST_MS = 120;
/** Red, green and blue as greys would be lost: muted, and told by their order as well. */
const channelColours = ["#d98f8f", "#9fcf9f", "#9fb4e0", "#ececec"];

function draw(canvas: HTMLCanvasElement | null, paint: (pen: CanvasRenderingContext2D) => void) {
  const pen = canvas?.getContext("2d");
  if (!canvas || !pen) return;
  pen.clearRect(0, 0, canvas.width, canvas.height);
  paint(pen);
}

function drawHistogram(canvas: HTMLCanvasElement | null, { histogram }: Counted) {
  // The ends hold what is clipped, and would press the rest flat.
  const inner = histogram.flatMap((counts) => [...counts.slice(2, LEVELS - 2)]);
  const most = Math.max(1, ...inner);
  draw(canvas, (pen) => {
    histogram.forEach((counts, i) => {
      pen.strokeStyle = channelColours[i] ?? "";
      pen.beginPath();
      counts.forEach((count, v) => pen.lineTo(v, HEIGHT - 1 - Math.min(1, count / most) * (HEIGHT - 4)));
      pen.stroke();
    });
  });
}

function drawWaveform(canvas: HTMLCanvasElement | null, { waveform }: Counted) {
  draw(canvas, (pen) => {
    const image = pen.createImageData(COLUMNS, HEIGHT);
    waveform.forEach((counts, x) => {
      const most = Math.max(1, ...counts);
      counts.forEach((count, v) => {
        if (count === 0) return;
        const y = Math.round((1 - v / (LEVELS - 1)) * (HEIGHT - 1));
        const at = 4 * (y * COLUMNS + x);
        const light = 70 + 185 * Math.sqrt(count / most);
        for (let c = 0; c < 3; c++) image.data[at + c] = Math.max(image.data[at + c] ?? 0, light);
        image.data[at + 3] = 255;
      });
    });
    pen.putImageData(image, 0, 0);
  });
}

const percent = (share: number) => `${(100 * share).toFixed(share > 0 && share < 0.01 ? 2 : 1)} %`;

/** How the values of the Picture are spread: by value, and from left to right. */
export function Levels({ frame, grade }: { frame: PreviewFrame; grade: Grade }) {
  const histogram = useRef<HTMLCanvasElement>(null);
  const waveform = useRef<HTMLCanvasElement>(null);
  const words = useRef<HTMLParagraphElement>(null);
  useEffect(() => {
    // Counted when the hand rests: it must not hold pictures up.
    const later = setTimeout(() => {
      const counted = levelsOf(frame, grade);
      drawHistogram(histogram.current, counted);
      drawWaveform(waveform.current, counted);
      if (words.current)
        words.current.textContent =
          t("{{past}} past white, {{white}} shown as white, ", {
            past: percent(counted.past),
            white: percent(counted.white),
          }) + t("{{black}} black", { black: percent(counted.black) });
    }, REST_MS);
    return () => clearTimeout(later);
  }, [frame, grade]);
  return (
    <section
      aria-label={t("Levels")}
      data-testid="levels"
      className="flex shrink-0 items-end gap-4 border-t border-line bg-panel px-3 py-1"
    >
      <figure>
        <figcaption className="text-small text-quiet">{t("Histogram: black to white")}</figcaption>
        <canvas ref={histogram} width={LEVELS} height={HEIGHT} className="bg-bench" />
      </figure>
      <figure>
        <figcaption className="text-small text-quiet">
          {t("Waveform: left to right, white at the top")}
        </figcaption>
        <canvas
          ref={waveform}
          width={COLUMNS}
          height={HEIGHT}
          className="bg-bench"
          style={{ width: 2 * COLUMNS, height: HEIGHT }}
        />
      </figure>
      <p ref={words} data-testid="levels-share" className="pb-1 font-value" />
    </section>
  );
}
