import { t } from "../../text";
import { useEffect } from "react";
import { tell } from "../../ui/notices";
import { pinPhotograph } from "../compare/pins";
import { keepStarterFiles } from "../choices/own-starters";

const isImage = (file: File) => /^image\/(png|jpeg|webp)$/.test(file.type);
const isJson = (file: File) => file.type === "application/json" || file.name.endsWith(".json");

/** Files dropped on the Bench: photographs are pinned, skies and starters come into the tray. */
export function useDrops(openTray: () => void) {
  useEffect(() => {
    const over = (e: DragEvent) => {
      if (e.dataTransfer?.types.includes("Files")) e.preventDefault();
    };
    const drop = (e: DragEvent) => {
      const files = [...(e.dataTransfer?.files ?? [])];
      // What has a place of its own for files has taken them.
      if (e.defaultPrevented || files.length === 0) return;
      e.preventDefault();
      for (const image of files.filter(isImage)) void pinPhotograph(image);
      const skies = files.filter(isJson);
      if (skies.length > 0) void keepStarterFiles(skies).then((kept) => kept > 0 && openTray());
      const others = files.filter((f) => !isImage(f) && !isJson(f));
      if (others.length > 0)
        tell({
          key: "drop",
          words:
            `${others.map((f) => f.name).join(", ")}: ` +
            t("a photograph (PNG, JPEG, WebP) or a sky (JSON) can be dropped here."),
        });
    };
    window.addEventListener("dragover", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("drop", drop);
    };
  }, [openTray]);
}
