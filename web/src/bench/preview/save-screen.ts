import { t } from "../../text";
/** The Picture as it is seen, as a PNG to keep: with the guides that are on. */

import type { View } from "../../data/camera";
import { download } from "../../data/download";
import type { Guide } from "../store/looking";
import { guideNames, linesOf, strokes, type GuideName } from "./guides";

export async function saveScreen(
  picture: HTMLCanvasElement,
  guides: Record<GuideName, Guide>,
  view: View,
  dip: number,
  name: string,
) {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [picture.width, picture.height];
  const pen = canvas.getContext("2d");
  if (!pen) throw new Error(t("This browser can't draw the picture."));
  pen.drawImage(picture, 0, 0);
  const perPixel = picture.width / Math.max(1, picture.clientWidth);
  for (const guide of guideNames.filter((g) => guides[g].on))
    for (const line of linesOf(guide, view, dip))
      for (const { colour, opacity, wider } of strokes) {
        pen.strokeStyle = colour;
        pen.globalAlpha = opacity;
        pen.lineWidth = (guides[guide].weight + wider) * perPixel;
        pen.beginPath();
        line.forEach(([x, y], i) => {
          const [px, py] = [x * canvas.width, y * canvas.height];
          if (i === 0) pen.moveTo(px, py);
          else pen.lineTo(px, py);
        });
        pen.stroke();
      }
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/png"));
  if (!blob) throw new Error(t("This browser can't write the picture."));
  download(blob, name, "png");
}
