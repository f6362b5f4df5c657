import { t } from "../text";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, type DragEvent } from "react";
import { api } from "../data/api";
import type { Inspection } from "../data/bakes";
import { showNumber } from "../data/number";
import { go } from "../route";
import { Button } from "../ui/button";
import { clearNotice, NoticeLine, tell } from "../ui/notices";
import { CheckLine } from "../ui/check-line";
import { Choice } from "../ui/choice";
import { StopsKey } from "../ui/stops-key";
import { firstView, ImageView, ReadingLine, type Reading, type View } from "./image-view";
import { LitThings } from "./lit-things";
import type { Shown } from "./shading";
import { inspection, inspectPath, pixelsOf, sourceOf, type Source } from "./source";
import { VolumeView } from "./volume-view";

/** One file: looked around in, read, and checked; beside another if asked for. */
export function Inspect({ path }: { path: string }) {
  const source = sourceOf(path);
  const [sending, setSending] = useState(false);
  const take = async (file: File | undefined) => {
    if (!file) return;
    clearNotice("inspect");
    setSending(true);
    try {
      const found = await api.inspectFile(file);
      go(inspectPath({ by: "sent", id: found.id ?? "" }));
    } catch (e) {
      tell({ key: "inspect", words: `${file.name}: ${e instanceof Error ? e.message : String(e)}` });
    } finally {
      setSending(false);
    }
  };
  const drop = {
    onDragOver: (e: DragEvent) => e.preventDefault(),
    onDrop: (e: DragEvent) => {
      e.preventDefault();
      void take(e.dataTransfer.files[0]);
    },
  };
  return (
    <div className="flex h-full flex-col" {...drop}>
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <Button weight="quiet" className="-ml-2" onClick={() => go("/bakes")}>
          {t("Bakes")}
        </Button>
        <h1 className="text-large">{t("Inspect")}</h1>
        <p role="status" className="text-quiet">
          {sending && t("Reading the file…")}
        </p>
        <span className="flex-1" />
        <label className="cursor-pointer rounded-soft border border-edge px-3 py-1 focus-within:outline-2 hover:bg-raised">
          {t("Choose a file…")}
          <input
            type="file"
            className="sr-only"
            aria-label={t("File to inspect")}
            accept=".exr,.hdr,.ktx2,.png,.vdb"
            onChange={(e) => void take(e.target.files?.[0])}
          />
        </label>
      </header>
      {source ? (
        <File key={path} source={source} />
      ) : (
        <p className="m-auto text-quiet">
          {t("Drop an OpenEXR, Radiance HDR, KTX2, PNG or OpenVDB file here, or choose Inspect at a bake.")}
        </p>
      )}
      <NoticeLine />
    </div>
  );
}

function File({ source }: { source: Source }) {
  const facts = useQuery({
    queryKey: ["inspection", source],
    queryFn: () => inspection(source),
    staleTime: Infinity,
    retry: false,
  });
  if (facts.isError)
    return (
      <p role="alert" className="m-auto">
        {facts.error.message}
      </p>
    );
  if (!facts.data) return <p className="m-auto text-quiet">{t("Reading and checking the file…")}</p>;
  return <Looked source={source} found={facts.data} />;
}

/** Exposure to begin with: that of the sky, or else by the light on level ground. */
const firstExposure = (found: Inspection) =>
  found.exposure_ev100 ??
  (found.level_ground_lx ? Math.round(10 * Math.log2(found.level_ground_lx / 2.5)) / 10 : null);

function Looked({ source, found }: { source: Source; found: Inspection }) {
  const [part, setPart] = useState(0);
  const [view, setView] = useState<View>(() => firstView(found));
  const [ev, setEv] = useState(() => firstExposure(found) ?? 0);
  const [falseColour, setFalseColour] = useState(false);
  const [reading, setReading] = useState<Reading | null>(null);
  const [other, setOther] = useState<Source | null>(null);
  const [wipe, setWipe] = useState(0.5);
  const isVolume = found.kind === "vdb";
  const pixels = useQuery({
    queryKey: ["pixels", source, part],
    queryFn: () => pixelsOf(source, part),
    enabled: !isVolume,
    staleTime: Infinity,
  });
  const absolute = firstExposure(found) !== null;
  // A value of white: from exposure where values are light, else as they are, moved by stops.
  const white = found.display ? 2 ** -ev : absolute ? (1.2 * 2 ** ev) / found.white_luminance : 2 ** -ev;
  const [shown, setShown] = useState<Shown>({ white, falseColour });
  useEffect(() => setShown({ white, falseColour }), [white, falseColour]);
  return (
    <div className="flex min-h-0 flex-1">
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="relative min-h-0 flex-1 overflow-hidden bg-surround">
          {isVolume && <VolumeView source={source} inspection={found} />}
          {pixels.data && (
            <ImageView
              inspection={found}
              pixels={pixels.data}
              view={view}
              shown={shown}
              onView={setView}
              onRead={setReading}
              label={`${found.name}, ${found.parts[part]?.name ?? ""}`}
            />
          )}
          {other && <Beside source={other} view={view} shown={shown} wipe={wipe} onView={setView} />}
          {pixels.isError && (
            <p role="alert" className="absolute inset-0 m-auto h-fit w-fit">
              {pixels.error.message}
            </p>
          )}
        </div>
        {!isVolume && (
          <div className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-t border-line px-3 py-1">
            <span className="min-w-96 flex-1">
              <ReadingLine reading={reading} unit={found.display ? 0 : found.white_luminance} />
            </span>
            {other && (
              <label className="flex items-center gap-2">
                {t("Wipe")}
                <input
                  type="range"
                  aria-label={t("Wipe")}
                  min={0}
                  max={1}
                  step={0.01}
                  value={wipe}
                  onChange={(e) => setWipe(Number(e.target.value))}
                  className="accent-accent"
                />
              </label>
            )}
            <label className="flex items-center gap-2">
              {absolute ? t("EV") : t("Stops")}
              <input
                type="range"
                aria-label={t("Exposure")}
                min={absolute ? -6 : -8}
                max={absolute ? 20 : 8}
                step={0.1}
                value={ev}
                onChange={(e) => setEv(Number(e.target.value))}
                className="w-40 accent-accent"
              />
              <span className="w-10 font-value">{ev.toFixed(1)}</span>
            </label>
            <CheckLine title={t("False colour")} on={falseColour} onChange={setFalseColour} />
            {found.panorama && (
              <CheckLine
                title={t("Look around")}
                on={view.around}
                onChange={(around) => setView({ ...view, around })}
              />
            )}
          </div>
        )}
        {falseColour && <StopsKey />}
      </div>
      <aside className="w-80 shrink-0 overflow-y-auto border-l border-line bg-panel p-3">
        <h2 className="truncate text-large" title={found.name}>
          {found.name}
        </h2>
        <p className="text-quiet">
          {found.kind.toUpperCase()}
          {found.parts[part] && (
            <>
              ,{" "}
              <span className="font-value">{`${found.parts[part].width} × ${found.parts[part].height}`}</span>
            </>
          )}
          ,{" "}
          <span className="font-value">
            {t("{{showNumber}} MB", { showNumber: showNumber(found.bytes / 1e6) })}
          </span>
          {found.panorama && `, ${found.panorama}`}
        </p>
        {found.parts.length > 1 && (
          <div className="mt-2">
            <Choice
              label={t("Part")}
              value={String(part)}
              options={found.parts.map((p, i) => ({
                value: String(i),
                title: p.name,
                help: p.channels.map(([name]) => name).join(" "),
              }))}
              onChange={(v) => setPart(Number(v))}
            />
          </div>
        )}
        {!isVolume && <Compare onChoose={setOther} chosen={other} />}
        <Checks found={found} />
        {pixels.data && part === 0 && (
          <div className="mt-3">
            <LitThings inspection={found} pixels={pixels.data} shown={shown} />
          </div>
        )}
        <Facts found={found} />
      </aside>
    </div>
  );
}

/** Another file over the right part of the first, seen in the same way. */
function Beside({
  source,
  view,
  shown,
  wipe,
  onView,
}: {
  source: Source;
  view: View;
  shown: Shown;
  wipe: number;
  onView: (view: View) => void;
}) {
  const facts = useQuery({
    queryKey: ["inspection", source],
    queryFn: () => inspection(source),
    retry: false,
  });
  const pixels = useQuery({
    queryKey: ["pixels", source, 0],
    queryFn: () => pixelsOf(source, 0),
    retry: false,
  });
  const fault = facts.error ?? pixels.error;
  if (fault) return <p role="alert">{fault.message}</p>;
  if (!facts.data || !pixels.data) return null;
  return (
    <div
      data-testid="beside"
      className="absolute inset-0"
      style={{ clipPath: `inset(0 0 0 ${100 * wipe}%)` }}
    >
      <ImageView
        inspection={facts.data}
        pixels={pixels.data}
        view={{ ...view, around: view.around && facts.data.panorama !== null }}
        shown={shown}
        onView={onView}
        label={facts.data.name}
      />
    </div>
  );
}

/** Chooses a bake to compare with. */
function Compare({ onChoose, chosen }: { onChoose: (source: Source | null) => void; chosen: Source | null }) {
  const bakes = useQuery({ queryKey: ["compare"], queryFn: () => api.bakes({ bin: false, limit: 30 }) });
  const files = (bakes.data?.bakes ?? []).flatMap((b) =>
    b.files
      .filter((f) => /\.(exr|hdr|ktx2|png)$/.test(f))
      .map((f) => ({ value: `${b.id}/${f}`, title: b.name, help: f })),
  );
  if (files.length === 0) return null;
  return (
    <div className="mt-2 grid grid-cols-[6rem_1fr] items-center">
      <span className="text-quiet">{t("Compare with")}</span>
      <Choice
        label={t("Compare with")}
        value={chosen?.by === "bake" ? `${chosen.id}/${chosen.name}` : "none"}
        options={[{ value: "none", title: t("Nothing") }, ...files]}
        onChange={(v) => {
          const at = v.indexOf("/");
          onChoose(v === "none" ? null : { by: "bake", id: v.slice(0, at), name: v.slice(at + 1) });
        }}
      />
    </div>
  );
}

function Checks({ found }: { found: Inspection }) {
  return (
    <ul className="mt-3 flex flex-col gap-1" data-testid="checks">
      {found.checks.map((c, i) => (
        <li key={i} className="grid grid-cols-[3.5rem_1fr]" data-passed={c.passed}>
          <span className={c.passed ? "text-quiet" : "underline decoration-2 underline-offset-4"}>
            {c.passed ? t("passed") : t("failed")}
          </span>
          <span>
            {c.name}
            <span className="block text-small text-quiet">{c.found}</span>
          </span>
        </li>
      ))}
    </ul>
  );
}

function Facts({ found }: { found: Inspection }) {
  const facts: [string, string][] = [];
  if (found.level_ground_lx !== null)
    facts.push([
      t("Level ground"),
      t("{{level_ground_lx}} lx", { level_ground_lx: showNumber(found.level_ground_lx) }),
    ]);
  if (found.largest)
    facts.push([
      t("Largest value"),
      t("{{value}} at {{azimuth_deg}}°, {{elevation_deg}}°", {
        value: showNumber(found.largest.value),
        azimuth_deg: found.largest.azimuth_deg.toFixed(1),
        elevation_deg: found.largest.elevation_deg.toFixed(1),
      }),
    ]);
  for (const [name, value] of Object.entries(found.attributes))
    facts.push([name, Array.isArray(value) ? value.map(String).join(" ") : String(value)]);
  return (
    <dl className="mt-3">
      {facts.map(([name, value]) => (
        <div key={name} className="mb-1">
          <dt className="text-small text-quiet">{name}</dt>
          <dd className="font-value break-all">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
