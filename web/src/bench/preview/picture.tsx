import { t } from "../../text";
import { useEffect, useMemo, useRef, useState } from "react";
import { lensView, panoramaView } from "../../data/camera";
import { FirstHint } from "../../ui/first-hints";
import { clearNotice, tellFault } from "../../ui/notices";
import { StopsKey } from "../../ui/stops-key";
import { Comparison } from "../compare/comparison";
import { PinnedPicture } from "../compare/pinned-picture";
import { useBench } from "../store/bench-store";
import { shownSky } from "../store/document";
import { useComparing } from "../store/comparing";
import { useLooking } from "../store/looking";
import { DisplayTransform } from "./display-transform";
import { exposedGrade } from "./exposure";
import { GuideLines } from "./guide-lines";
import { Hands } from "./hands";
import { Levels } from "./levels";
import { PictureBar } from "./picture-bar";
import { PreviewSocket } from "./preview-socket";

/** Key of what is said of a picture that takes long, and after how many milliseconds. */
const SLOW = "slow";
const SLOW_AFTER = 6000;
const AWAY = t(
  "The server is away: the last picture stays, changes are kept in this browser and saved when it is back.",
);
const LATE = t(
  "The server is slow: the picture is still being made. The last one stays; changes are saved apart.",
);

const fault = (words: string) => tellFault("picture", t("No new picture: {{words}}", { words }));

/** Pixels along the longer side of what is asked for. */
const LARGEST = 1600;

/** What the camera sees, with handles on its lights. */
export function Picture({ handles }: { handles: boolean }) {
  const area = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const developer = useRef<DisplayTransform | null>(null);
  const live = useRef<PreviewSocket | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const sky = useBench(shownSky);
  const frame = useBench((s) => s.frame);
  const panorama = useLooking((s) => s.panorama);
  const clipped = useLooking((s) => s.clipped);
  const falseColour = useLooking((s) => s.falseColour);
  const levels = useLooking((s) => s.levels);

  useEffect(() => {
    const client = new PreviewSocket({
      frame: (next) => {
        clearNotice("picture");
        if (next.stage !== "readings") clearNotice(SLOW);
        useBench.getState().setFrame(next);
      },
      problems: (problems) => fault(problems.map((p) => `${p.path}: ${p.message}`).join("; ")),
      connected: (connected) => tellFault("server", connected ? null : AWAY),
    });
    live.current = client;
    return () => {
      client.close();
      for (const key of ["picture", "server", SLOW]) clearNotice(key);
    };
  }, []);

  // The picture fills its frame as far as its proportions let it.
  const eye = sky?.eye;
  const view = useMemo(() => (eye ? (panorama ? panoramaView : lensView)(eye) : null), [eye, panorama]);
  const aspect = view?.aspect ?? 16 / 9;
  const pin = useComparing((s) => s.pin);
  const beside = useComparing((s) => s.pin !== null && s.way === "beside");
  useEffect(() => {
    const box = area.current;
    if (!box) return;
    const fit = () => {
      const { clientWidth, clientHeight: h } = box;
      const w = beside ? clientWidth / 2 : clientWidth;
      const width = Math.floor(Math.min(w, h * aspect));
      setSize({ width, height: Math.round(width / aspect) });
    };
    const watch = new ResizeObserver(fit);
    watch.observe(box);
    fit();
    return () => watch.disconnect();
  }, [aspect, beside]);

  // What changes scene light is asked for; the grade is the shader's alone.
  const scale = Math.min(window.devicePixelRatio, LARGEST / Math.max(size.width, 1));
  const [width, height] = [Math.round(size.width * scale), Math.round(size.height * scale)];
  const asked = sky && JSON.stringify({ ...sky, grade: null, viewpoints: null });
  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!now || width < 16 || height < 16) return;
    live.current?.request(now, width, height, panorama);
    const late = setTimeout(() => tellFault(SLOW, LATE), SLOW_AFTER);
    // Any picture that comes says that the server is at work.
    const stop = useBench.subscribe((s, before) => s.frame !== before.frame && clearTimeout(late));
    return () => {
      stop();
      clearTimeout(late);
    };
  }, [asked, width, height, panorama]);

  // The last frame is developed again when the grade changes.
  const developed = sky && JSON.stringify(exposedGrade(sky, frame));
  const marking = useMemo(() => ({ panorama, clipped, falseColour }), [panorama, clipped, falseColour]);
  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!canvas.current || !now || width < 16) return;
    if (canvas.current.width !== width) canvas.current.width = width;
    if (canvas.current.height !== height) canvas.current.height = height;
    try {
      developer.current ??= new DisplayTransform(canvas.current);
      developer.current.draw(now.eye, exposedGrade(now, useBench.getState().frame), marking);
    } catch (e) {
      fault(String(e));
    }
  }, [developed, width, height, marking]);

  useEffect(() => {
    const now = shownSky(useBench.getState());
    if (!frame || !developer.current || !now) return;
    developer.current.load(frame);
    developer.current.draw(now.eye, exposedGrade(now, frame), marking);
  }, [frame, width, height, marking]);

  const grade = useMemo(() => sky && exposedGrade(sky, frame), [sky, frame]);
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div ref={area} className="relative min-h-0 min-w-0 flex-1 overflow-hidden bg-surround">
        <div
          data-testid="picture"
          data-stage={frame?.stage}
          data-number={frame?.number}
          data-milliseconds={frame?.milliseconds}
          className={`absolute inset-y-0 right-0 m-auto ${beside ? "left-1/2" : "left-0"}`}
          style={size}
        >
          <canvas
            ref={canvas}
            className="block h-full w-full"
            aria-label={panorama ? t("The whole sky around the camera") : t("What the camera sees")}
          />
          <FirstHint name="picture" className="bottom-3 left-3" />
          {pin && <Comparison {...{ pin, width, height, panorama, frame, canvas }} />}
          {sky && view && handles && <GuideLines sky={sky} view={view} size={size} />}
          {sky && view && <Hands sky={sky} view={view} frame={frame} size={size} shown={handles} />}
        </div>
        {pin && beside && (
          <figure className="absolute inset-y-0 right-1/2 left-0 m-auto" style={size}>
            <PinnedPicture {...{ pin, width, height, panorama }} />
            <figcaption className="absolute top-1 left-1 rounded-soft bg-bench px-2 text-small">
              {pin.name}
            </figcaption>
          </figure>
        )}
      </div>
      {falseColour && <StopsKey />}
      {levels && frame && grade && <Levels frame={frame} grade={grade} />}
      {sky && view && <PictureBar sky={sky} view={view} canvas={canvas} />}
    </div>
  );
}
