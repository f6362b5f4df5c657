import { t } from "../../text";
import { useState } from "react";
import { api } from "../../data/api";
import type { Candidate, SearchResult, SearchVariable, Target } from "../../data/measures";
import type { Schema } from "../../data/fields";
import { showNumber } from "../../data/number";
import type { CloudLayer, Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import type { Choice } from "../store/view";
import { setThickness } from "../layers/thickness";

const frameThird = (left: number, right: number, filled: boolean): Target => ({
  of: "frame",
  left,
  right,
  top: 0,
  bottom: 0.75,
  filled,
});

/** What can be wished for, in words. */
const wishes: [string, Target][] = [
  [t("the sun clear"), { of: "sun", seen: "clear" }],
  [t("the sun veiled"), { of: "sun", seen: "veiled" }],
  [t("the sun hidden"), { of: "sun", seen: "hidden" }],
  [t("the sun at the rim of a gap"), { of: "sun", seen: "rim" }],
  [t("left third free"), frameThird(0, 1 / 3, false)],
  [t("middle third free"), frameThird(1 / 3, 2 / 3, false)],
  [t("right third free"), frameThird(2 / 3, 1, false)],
  [t("left third filled"), frameThird(0, 1 / 3, true)],
  [t("middle third filled"), frameThird(1 / 3, 2 / 3, true)],
  [t("right third filled"), frameThird(2 / 3, 1, true)],
];

const percent = (share: number) => `${(100 * share).toFixed(share > 0.1 ? 0 : 1)} %`;

/** What may change, in words. */
const ways: [SearchVariable, string][] = [
  ["slide", t("slide")],
  ["seed", t("seed")],
  ["thickness", t("optical thickness")],
];

/** What a candidate changes, in words. */
const changed: Record<SearchVariable, (f: Candidate, l: CloudLayer) => string> = {
  slide: (f, l) =>
    t("slid {{showNumber}} km", {
      showNumber: showNumber(
        Math.round(Math.hypot(f.slide_east_m - l.slide_east_m, f.slide_north_m - l.slide_north_m) / 10) / 100,
      ),
    }),
  seed: (f) => t("seed {{seed}}", { seed: f.seed }),
  thickness: (f) =>
    t("thickness {{optical_thickness}}", { optical_thickness: f.optical_thickness.toPrecision(3) }),
};

function offered(
  sky: Sky,
  layer: CloudLayer,
  schema: Schema,
  [words, wish, by]: [string, Target, SearchVariable],
  { found, without }: SearchResult,
): Choice {
  const index = sky.clouds.findIndex((l) => l.id === layer.id);
  const what = wish.of === "frame" ? t("free") : wish.of === "spot" ? t("lit") : t("sun");
  const near = found.some((f) => f.off <= 0.1);
  return {
    title: t("Seek: {{name}}, {{words}}", { name: layer.name, words }),
    note: near
      ? undefined
      : t("No other {{value}} comes near; without this layer: {{what}} {{without}}.", {
          value: ways.find(([way]) => way === by)?.[1],
          what,
          without: percent(without),
        }),
    options: found.map((f) => ({
      label: `${what} ${percent(f.figure)}, ${changed[by](f, layer)}${f.off > 0.25 ? t(", not quite") : ""}`,
      edit: (s) => {
        const l = s.clouds[index];
        if (!l) return;
        if (by === "thickness") setThickness(schema, l, f.optical_thickness);
        else if (by === "seed") l.seed = f.seed;
        else [l.slide_east_m, l.slide_north_m] = [f.slide_east_m, f.slide_north_m];
      },
    })),
  };
}

/** Finds what of a layer fulfils a wish and offers it as pictures. */
export function Seek({ sky, layer, schema }: { sky: Sky; layer: CloudLayer; schema: Schema }) {
  const { offer, notify, drawFrame } = useBench.getState();
  const [by, setBy] = useState<SearchVariable>("slide");
  const [share, setShare] = useState("40");
  const [spot, setSpot] = useState({ east: "0", north: "2" });
  const [busy, setBusy] = useState(false);
  const seek = async (words: string, wish: Target) => {
    setBusy(true);
    try {
      const found = await api.seek(sky, layer.id, wish, by);
      offer(offered(sky, layer, schema, [words, wish, by], found));
    } catch (e) {
      notify(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  const wished = Number(share);
  const valid = share.trim() !== "" && wished >= 0 && wished <= 100;
  const [east, north] = [Number(spot.east), Number(spot.north)];
  const there = Number.isFinite(east) && Number.isFinite(north) && Math.hypot(east, north) < 100;
  const seekSpot = (lit: boolean) =>
    void seek(
      t("the land {{east}} km east, {{north}} km north {{value}}", {
        east,
        north,
        value: lit ? t("lit") : t("shaded"),
      }),
      {
        of: "spot",
        east_m: 1000 * east,
        north_m: 1000 * north,
        lit,
      },
    );
  const framing = useBench((s) => s.framing !== null);
  /** A rectangle that is drawn in the Picture. */
  const seekFrame = (filled: boolean) =>
    drawFrame(
      (frame) =>
        void seek(t("that part {{value}}", { value: filled ? t("filled") : t("free") }), {
          of: "frame",
          ...frame,
          filled,
        }),
    );
  const number = "h-6 w-10 border border-edge bg-bench text-right font-value";
  return (
    <fieldset disabled={busy} className="py-1" data-testid="seek">
      <label className="flex items-baseline justify-between gap-2 text-quiet">
        {t("Seek by changing its")}
        <select
          aria-label={t("What may change")}
          className="h-6 border border-edge bg-bench px-1 text-ink"
          value={by}
          onChange={(e) => setBy(e.target.value as SearchVariable)}
        >
          {ways.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <select
        aria-label={t("What to seek")}
        className="mt-1 h-6 w-full border border-edge bg-bench px-1"
        value=""
        onChange={(e) => {
          const wish = wishes.find(([words]) => words === e.target.value);
          if (wish) void seek(...wish);
        }}
      >
        <option value="" disabled>
          {busy ? t("seeking…") : t("choose…")}
        </option>
        {wishes.map(([words]) => (
          <option key={words}>{words}</option>
        ))}
      </select>
      <div className="mt-1 flex flex-wrap items-baseline gap-x-2 text-quiet">
        {framing ? t("Draw it in the Picture") : t("a part of the Picture")}
        {(["free", "filled"] as const).map((what) => (
          <Button key={what} weight="quiet" onClick={() => seekFrame(what === "filled")}>
            {what === "free" ? t("free") : t("filled")}
          </Button>
        ))}
      </div>
      <div className="mt-1 flex items-baseline gap-2">
        <label className="text-quiet">
          {t("direct sun")}{" "}
          <input
            className={number}
            value={share}
            onChange={(e) => setShare(e.target.value)}
            aria-invalid={!valid}
          />{" "}
          %
        </label>
        <Button
          weight="quiet"
          disabled={!valid}
          onClick={() =>
            void seek(t("direct sun {{wished}} %", { wished }), { of: "sun_share", share: wished / 100 })
          }
        >
          {t("Seek")}
        </Button>
      </div>
      <div className="mt-1 flex flex-wrap items-baseline gap-x-2 gap-y-1 text-quiet">
        <label>
          {t("land")}{" "}
          <input
            aria-label={t("km east of the eye")}
            className={number}
            value={spot.east}
            onChange={(e) => setSpot({ ...spot, east: e.target.value })}
            aria-invalid={!there}
          />{" "}
          {t("km east,")}
        </label>
        <label>
          <input
            aria-label={t("km north of the eye")}
            className={number}
            value={spot.north}
            onChange={(e) => setSpot({ ...spot, north: e.target.value })}
            aria-invalid={!there}
          />{" "}
          {t("north")}
        </label>
        <Button weight="quiet" disabled={!there} onClick={() => seekSpot(true)}>
          {t("lit")}
        </Button>
        <Button weight="quiet" disabled={!there} onClick={() => seekSpot(false)}>
          {t("shaded")}
        </Button>
      </div>
    </fieldset>
  );
}
