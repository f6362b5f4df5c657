import { t } from "../text";
import { keepPreviousData, useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Bake } from "../data/api";
import { draftOf, settingsLine, type BakeDraft } from "../data/bakes";
import { showNumber } from "../data/number";
import { Button } from "../ui/button";
import { Choice } from "../ui/choice";
import { when } from "../ui/dates";
import { wasDeleted } from "../ui/deleted-note";
import { NoticeLine, useFault } from "../ui/notices";
import { Dialog } from "../ui/dialog";
import { leftWords } from "../ui/durations";
import { go } from "../route";
import { inspectPath } from "../inspect/source";
import { BakeDialog } from "./bake-dialog";

const open = (b: Bake) => b.status === "queued" || b.status === "running" || b.status === "assembling";

/** Bakes of a page. */
const PAGE = 30;

/** The queue and what it made. */
export function Bakes() {
  const client = useQueryClient();
  const [again, setAgain] = useState<{ bake: Bake; draft: BakeDraft } | null>(null);
  const [clearing, setClearing] = useState(false);
  const bakes = useInfiniteQuery({
    queryKey: ["bakes"],
    queryFn: ({ pageParam }) => api.bakes({ bin: false, limit: PAGE, offset: pageParam }),
    initialPageParam: 0,
    getNextPageParam: ({ total }, pages) => (pages.length * PAGE < total ? pages.length * PAGE : undefined),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (state.data?.pages.some((page) => page.bakes.some(open)) ? 700 : 4000),
  });
  const list = bakes.data?.pages.flatMap((page) => page.bakes) ?? [];
  const first = bakes.data?.pages[0];
  const anew = () => client.invalidateQueries({ queryKey: ["bakes"] });
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSuccess: anew,
  });
  useFault("bakes", (act.error ?? bakes.error)?.message);
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <Button weight="quiet" className="-ml-2" onClick={() => go("/")}>
          {t("Skies")}
        </Button>
        <h1 className="text-large">{t("Bakes")}</h1>
        {first && first.total > 0 && (
          <p className="text-quiet">
            {first.total}
            {t(" with ")}
            <span className="font-value">
              {t("{{showNumber}} MB", { showNumber: showNumber(first.bytes / 1e6) })}
            </span>
            {t(", the bin taken in")}
          </p>
        )}
        <span className="flex-1" />
        <Button weight="quiet" onClick={() => setClearing(true)}>
          {t("Clear…")}
        </Button>
        <Button weight="quiet" onClick={() => go("/inspect")}>
          {t("Inspect a file")}
        </Button>
        <Button weight="quiet" onClick={() => go("/bin")}>
          {t("Bin")}
        </Button>
      </header>
      <main className="min-h-0 flex-1 overflow-y-auto p-4">
        {first?.total === 0 && (
          <p className="text-quiet">{t("Nothing baked yet. Open a sky and choose Bake there.")}</p>
        )}
        <ul className="flex flex-col divide-y divide-line">
          {list.map((b) => (
            <Row
              key={b.id}
              bake={b}
              act={(work) => act.mutate(work)}
              onAgain={() => setAgain({ bake: b, draft: draftOf(b.settings) })}
            />
          ))}
        </ul>
        {bakes.hasNextPage && (
          <p className="pt-3">
            <Button onClick={() => void bakes.fetchNextPage()}>
              {t("Show more of {{total}}", { total: first?.total })}
            </Button>
          </p>
        )}
      </main>
      <NoticeLine />
      {again && (
        <BakeDialog
          source={{ sky: again.bake.document, name: again.bake.name, skyId: again.bake.sky_id }}
          draft={again.draft}
          onDraft={(draft) => setAgain({ ...again, draft })}
          onAsked={() => void anew()}
          onClose={() => setAgain(null)}
        />
      )}
      {clearing && <Clearing onClose={() => setClearing(false)} onCleared={() => void anew()} />}
    </div>
  );
}

function Row({
  bake: b,
  act,
  onAgain,
}: {
  bake: Bake;
  act: (work: () => Promise<unknown>) => void;
  onAgain: () => void;
}) {
  const main = b.files.find((f) => /\.(exr|hdr|ktx2|png|vdb)$/.test(f));
  return (
    <li data-testid="bake" data-status={b.status} className="flex gap-4 py-3">
      <div className="flex h-32 w-64 shrink-0 items-center justify-center overflow-hidden bg-panel">
        <Picture bake={b} />
      </div>
      <div className="min-w-0 flex-1">
        <h2 className="truncate text-large">{b.name}</h2>
        <p className="text-quiet">
          <span className="font-value">{settingsLine(b.settings)}</span>
          {t(", asked for ")}
          {when(b.created_at)}
        </p>
        <State bake={b} />
        <Facts bake={b} />
      </div>
      <div className="flex shrink-0 flex-col items-end gap-1">
        {(b.status === "queued" || b.status === "running") && (
          <Button onClick={() => act(() => api.pause(b.id))}>{t("Pause")}</Button>
        )}
        {(open(b) || b.status === "paused") && (
          <Button onClick={() => act(() => api.cancel(b.id))}>{t("Stop")}</Button>
        )}
        {(b.status === "failed" || b.status === "paused") && (
          <Button onClick={() => act(() => api.goOn(b.id))}>{t("Go on")}</Button>
        )}
        {b.status === "done" && <Files bake={b} />}
        {b.status === "done" && main && (
          <Button onClick={() => go(inspectPath({ by: "bake", id: b.id, name: main }))}>
            {t("Inspect")}
          </Button>
        )}
        {!open(b) && (
          <Button weight="quiet" onClick={onAgain}>
            {t("Make again…")}
          </Button>
        )}
        {!open(b) && b.status !== "paused" && (
          <Button
            weight="quiet"
            onClick={() =>
              act(async () => {
                await api.removeBake(b.id);
                wasDeleted({
                  list: "bakes",
                  inBin: true,
                  name: b.name,
                  restore: () => api.restoreBake(b.id),
                });
              })
            }
          >
            {t("Delete")}
          </Button>
        )}
      </div>
    </li>
  );
}

/** What is made, or what is made of it so far. */
function Picture({ bake: b }: { bake: Bake }) {
  const [none, setNone] = useState(false);
  const hasPicture = "map" in b.settings || "picture" in b.settings;
  if (none || (b.status === "done" && "volume" in b.settings))
    return <span className="text-quiet">{"volume" in b.settings ? t("voxels") : ""}</span>;
  if (b.status === "done")
    return (
      <img
        src={`/api/bakes/${b.id}/files/thumbnail.png`}
        alt={t("What was made of {{name}}", { name: b.name })}
        className="max-h-full max-w-full"
        onError={() => setNone(true)}
      />
    );
  if (!hasPicture || b.pieces_done === 0 || b.status === "cancelled") return null;
  return (
    <img
      src={`/api/bakes/${b.id}/so-far.png?done=${b.pieces_done}`}
      alt={t("What is made of {{name}} so far", { name: b.name })}
      data-testid="so-far"
      className="max-h-full max-w-full"
    />
  );
}

const fileTitle = (name: string) => {
  const plain = name.replace(/^.*\//, "");
  if (plain.endsWith(".json")) return plain === "lights.json" ? t("Lights") : t("Sidecar");
  if (plain.endsWith(".zip")) return t("Package");
  return plain;
};

/** A link for the main file, and all others in a list that unfolds. */
function Files({ bake: b }: { bake: Bake }) {
  const [all, setAll] = useState(false);
  const link = "rounded-soft border border-edge px-3 py-1 hover:bg-raised whitespace-nowrap";
  const shown = all ? b.files : b.files.slice(0, 2);
  return (
    <>
      {shown.map((f) => (
        <a key={f} href={`/api/bakes/${b.id}/files/${encodeURIComponent(f)}`} download className={link}>
          {fileTitle(f)}
        </a>
      ))}
      {b.files.length > shown.length && (
        <Button weight="quiet" onClick={() => setAll(true)}>
          {t("{{value}} more files", { value: b.files.length - shown.length })}
        </Button>
      )}
    </>
  );
}

/** Shape and words tell the state; the bar fills with finished pieces. */
function State({ bake: b }: { bake: Bake }) {
  const said = {
    queued: t("waiting for a worker"),
    running: t("{{pieces_done}} of {{pieces}} pieces", { pieces_done: b.pieces_done, pieces: b.pieces }),
    assembling: t("putting the files together"),
    paused: t("paused with {{pieces_done}} of {{pieces}} pieces", {
      pieces_done: b.pieces_done,
      pieces: b.pieces,
    }),
    done: t("done"),
    cancelled: t("stopped"),
    failed: t("failed: {{problem}}", { problem: b.problem }),
    unknown: `${b.problem}`,
  }[b.status];
  const left =
    b.seconds_left === null
      ? ""
      : t(", about {{seconds_left}} left", { seconds_left: leftWords(b.seconds_left) });
  return (
    <div className="my-1">
      <p role="status">
        {said}
        {b.note ? `, ${b.note}` : b.status === "running" && left}
      </p>
      {(open(b) || b.status === "paused") && (
        <div
          role="progressbar"
          aria-label={t("Pieces that are made")}
          aria-valuenow={b.pieces_done}
          aria-valuemax={b.pieces}
          className="mt-1 h-1 max-w-96 bg-raised"
        >
          <div className="h-full bg-ink" style={{ width: `${(100 * b.pieces_done) / b.pieces}%` }} />
        </div>
      )}
    </div>
  );
}

type Found = {
  lights?: { illuminance_lx: number }[];
  horizontal_illuminance_lx?: number;
  level_ground_lx?: number;
  noise_left_percent?: number;
  out_of_gamut_percent?: number;
  muted?: string[];
  values?: string;
  bytes?: number;
  mean?: number;
  pixel_m?: number;
  files?: { voxel_m: number; grids: { active_voxels: number }[] }[];
};

function Facts({ bake: b }: { bake: Bake }) {
  if (!b.facts) return null;
  const f = b.facts as Found;
  const took =
    b.started_at && b.finished_at ? (Date.parse(b.finished_at) - Date.parse(b.started_at)) / 1000 : null;
  const facts: [string, string][] = [];
  const level = f.horizontal_illuminance_lx ?? f.level_ground_lx;
  if (level !== undefined) facts.push([t("Level ground"), `${showNumber(level)} lx`]);
  if (f.lights) facts.push([t("Sun"), `${showNumber(f.lights[0]?.illuminance_lx ?? 0)} lx`]);
  if (f.noise_left_percent !== undefined)
    facts.push([t("Noise left"), `${f.noise_left_percent.toFixed(1)} %`]);
  if (f.mean !== undefined)
    facts.push([("shadow" in b.settings && t("Mean light")) || t("Mean thickness"), showNumber(f.mean)]);
  const volume = f.files?.[0];
  if (volume) {
    facts.push([t("Voxel"), `${showNumber(volume.voxel_m)} m`]);
    facts.push([t("With cloud"), `${showNumber((volume.grids[0]?.active_voxels ?? 0) / 1e6)} million`]);
  }
  if (f.values) facts.push([t("Values"), f.values]);
  if (f.bytes !== undefined) facts.push([t("Files"), `${showNumber(f.bytes / 1e6)} MB`]);
  if (took !== null) facts.push([t("Took"), `${showNumber(took)} s`]);
  if ((f.out_of_gamut_percent ?? 0) > 0)
    facts.push([t("Moved into gamut"), `${f.out_of_gamut_percent?.toFixed(1)} %`]);
  if (f.muted && f.muted.length > 0) facts.push([t("Muted"), f.muted.join(", ")]);
  return (
    <dl className="mt-1 flex flex-wrap gap-x-5">
      {facts.map(([name, value]) => (
        <div key={name}>
          <dt className="text-small text-quiet">{name}</dt>
          <dd className="font-value">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

const ages = [
  { value: "0", title: t("All that have ended") },
  { value: "1", title: t("Older than a day") },
  { value: "7", title: t("Older than a week") },
  { value: "30", title: t("Older than 30 days") },
];

/** Puts old bakes into the bin, which lets go of their files after 30 days or by hand. */
function Clearing({ onClose, onCleared }: { onClose: () => void; onCleared: () => void }) {
  const [days, setDays] = useState("7");
  const clear = useMutation({
    mutationFn: () => api.clearBakes(Number(days)),
    onSuccess: () => {
      onCleared();
      onClose();
    },
  });
  return (
    <Dialog title={t("Clear bakes")} open onClose={onClose}>
      <Choice label={t("Which")} value={days} options={ages} onChange={setDays} />
      <p className="mt-2 text-quiet">{t("They go into the bin, and their files with it after 30 days.")}</p>
      {clear.isError && <p role="alert">{clear.error.message}</p>}
      <div className="mt-4 flex justify-end gap-2">
        <Button weight="quiet" onClick={onClose}>
          {t("Leave them")}
        </Button>
        <Button weight="main" disabled={clear.isPending} onClick={() => clear.mutate()}>
          {t("Put into the bin")}
        </Button>
      </div>
    </Dialog>
  );
}
