import { t } from "../../text";
import { useEffect, useMemo, useRef } from "react";
import { photographPath, type Pin } from "../../data/api";
import type { Sky } from "../../data/sky";
import { tellFault } from "../../ui/notices";
import { DisplayTransform } from "../preview/display-transform";
import { exposedGrade } from "../preview/exposure";
import { PreviewSocket, type PreviewFrame } from "../preview/preview-socket";

/** What a pin shows: its state as a live picture of its own, or its photograph. */
export function PinnedPicture({
  pin,
  width,
  height,
  panorama,
  onFrame,
  onPhotograph,
}: {
  pin: Pin;
  /** Pixels that are asked for. */
  width: number;
  height: number;
  panorama: boolean;
  onFrame?: (frame: PreviewFrame) => void;
  /** A photograph that is loaded. */
  onPhotograph?: (image: HTMLImageElement) => void;
}) {
  if (pin.document)
    return (
      <PinnedState
        sky={pin.document}
        {...{ width, height, panorama }}
        {...(onFrame ? { onFrame } : {})}
        key={pin.id}
      />
    );
  return (
    <img
      src={photographPath(pin.id)}
      alt={pin.name}
      draggable={false}
      onLoad={(e) => onPhotograph?.(e.currentTarget)}
      data-testid="pinned"
      className="block h-full w-full bg-bench object-contain"
    />
  );
}

function PinnedState({
  sky,
  width,
  height,
  panorama,
  onFrame,
}: {
  sky: Sky;
  width: number;
  height: number;
  panorama: boolean;
  onFrame?: (frame: PreviewFrame) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const marking = useMemo(() => ({ falseColour: false, clipped: false, panorama }), [panorama]);
  useEffect(() => {
    if (!canvas.current || width < 16 || height < 16) return;
    [canvas.current.width, canvas.current.height] = [width, height];
    const developer = new DisplayTransform(canvas.current);
    const socket = new PreviewSocket({
      frame: (frame) => {
        if (frame.stage === "readings") return;
        developer.load(frame);
        developer.draw(sky.eye, exposedGrade(sky, frame), marking);
        if (canvas.current) canvas.current.dataset.stage = frame.stage;
        onFrame?.(frame);
      },
      problems: (problems) => tellFault("pin", problems.map((p) => `${p.path}: ${p.message}`).join("; ")),
      connected: () => {},
    });
    socket.request(sky, width, height, panorama);
    return () => socket.close();
  }, [sky, width, height, panorama, marking, onFrame]);
  return (
    <canvas ref={canvas} data-testid="pinned" className="block h-full w-full" aria-label={t("The pin")} />
  );
}
