import { useState } from "react";
import { api, type Slide, type Wish } from "../data/api";
import type { CloudLayer, Sky } from "../data/sky";
import { Button } from "../parts/button";
import { useBench, type Choice } from "./bench-store";

const part = (left: number, right: number, filled: boolean): Wish => ({
  of: "frame",
  left,
  right,
  top: 0,
  bottom: 0.75,
  filled,
});

/** What can be wished for, in words. */
const wishes: [string, Wish][] = [
  ["the sun clear", { of: "sun", seen: "clear" }],
  ["the sun veiled", { of: "sun", seen: "veiled" }],
  ["the sun hidden", { of: "sun", seen: "hidden" }],
  ["the sun at the rim of a gap", { of: "sun", seen: "rim" }],
  ["left third free", part(0, 1 / 3, false)],
  ["middle third free", part(1 / 3, 2 / 3, false)],
  ["right third free", part(2 / 3, 1, false)],
  ["left third filled", part(0, 1 / 3, true)],
  ["middle third filled", part(1 / 3, 2 / 3, true)],
  ["right third filled", part(2 / 3, 1, true)],
];

const percent = (share: number) => `${(100 * share).toFixed(share > 0.1 ? 0 : 1)} %`;

function offered(sky: Sky, layer: CloudLayer, words: string, wish: Wish, found: Slide[]): Choice {
  const index = sky.clouds.findIndex((l) => l.id === layer.id);
  const what = wish.of === "frame" ? "free" : "sun";
  return {
    title: `Seek: ${layer.name}, ${words}`,
    options: found.map((slide) => ({
      label: `${what} ${percent(slide.figure)}${slide.off > 0.25 ? ", not quite" : ""}`,
      edit: (s) => {
        const l = s.clouds[index];
        if (l) Object.assign(l, { slide_east_m: slide.slide_east_m, slide_north_m: slide.slide_north_m });
      },
    })),
  };
}

/** Finds slides of a layer that fulfil a wish and offers them as pictures. */
export function Seek({ sky, layer }: { sky: Sky; layer: CloudLayer }) {
  const { offer, say } = useBench.getState();
  const [share, setShare] = useState("40");
  const [busy, setBusy] = useState(false);
  const seek = async (words: string, wish: Wish) => {
    setBusy(true);
    try {
      const found = await api.seek(sky, layer.id, wish);
      offer(offered(sky, layer, words, wish, found));
    } catch (e) {
      say(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  const wished = Number(share);
  const valid = share.trim() !== "" && wished >= 0 && wished <= 100;
  return (
    <fieldset disabled={busy} className="py-1" data-testid="seek">
      <legend className="text-quiet">Seek a slide with</legend>
      <select
        aria-label="What to seek"
        className="mt-1 w-full border border-line bg-bench px-1 py-[2px]"
        value=""
        onChange={(e) => {
          const wish = wishes.find(([words]) => words === e.target.value);
          if (wish) void seek(...wish);
        }}
      >
        <option value="" disabled>
          {busy ? "seeking…" : "choose…"}
        </option>
        {wishes.map(([words]) => (
          <option key={words}>{words}</option>
        ))}
      </select>
      <div className="mt-1 flex items-baseline gap-2">
        <label className="text-quiet">
          direct sun{" "}
          <input
            className="w-10 border border-line bg-bench text-right font-value"
            value={share}
            onChange={(e) => setShare(e.target.value)}
            aria-invalid={!valid}
          />{" "}
          %
        </label>
        <Button
          weight="quiet"
          disabled={!valid}
          onClick={() => void seek(`direct sun ${wished} %`, { of: "sun_share", share: wished / 100 })}
        >
          Seek
        </Button>
      </div>
    </fieldset>
  );
}
