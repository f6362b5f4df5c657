import { keepPreviousData, useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Bake } from "../data/api";
import { showNumber } from "../data/number";
import { Button } from "../ui/button";
import { when } from "../ui/dates";
import { DeletedNote, wasDeleted } from "../ui/deleted-note";
import { go } from "../route";

const open = (b: Bake) => b.status === "queued" || b.status === "running" || b.status === "assembling";

/** Bakes of a page. */
const PAGE = 30;

/** The queue and what it made. */
export function Bakes() {
  const client = useQueryClient();
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
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSuccess: () => client.invalidateQueries({ queryKey: ["bakes"] }),
  });
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <Button weight="quiet" className="-ml-2" onClick={() => go("/")}>
          Skies
        </Button>
        <h1 className="text-large">Bakes</h1>
        {first && first.total > 0 && (
          <p className="text-quiet">
            {first.total} with <span className="font-value">{showNumber(first.bytes / 1e6)} MB</span>, the bin
            taken in
          </p>
        )}
        <span className="flex-1" />
        <Button weight="quiet" onClick={() => go("/bin")}>
          Bin
        </Button>
      </header>
      {(bakes.isError || act.isError) && (
        <p role="alert" className="border-b border-line px-3 py-1">
          {(act.error ?? bakes.error)?.message}
        </p>
      )}
      <DeletedNote onRestored={() => void client.invalidateQueries({ queryKey: ["bakes"] })} />
      <main className="min-h-0 flex-1 overflow-y-auto p-4">
        {first?.total === 0 && (
          <p className="text-quiet">Nothing baked yet. Open a sky and choose Bake there.</p>
        )}
        <ul className="flex flex-col divide-y divide-line">
          {list.map((b) => (
            <li key={b.id} data-testid="bake" data-status={b.status} className="flex gap-4 py-3">
              <div className="aspect-[2/1] w-64 shrink-0 bg-panel">
                {b.status === "done" && (
                  <img
                    src={`/api/bakes/${b.id}/files/thumbnail.png`}
                    alt={`The map of ${b.name}`}
                    className="w-full"
                  />
                )}
              </div>
              <div className="min-w-0 flex-1">
                <h2 className="truncate text-large">{b.name}</h2>
                <p className="text-quiet">
                  <span className="font-value">{settingsLine(b)}</span>, asked for {when(b.created_at)}
                </p>
                <State bake={b} />
                <Facts bake={b} />
              </div>
              <div className="flex shrink-0 flex-col items-end gap-1">
                {open(b) && <Button onClick={() => act.mutate(() => api.cancel(b.id))}>Stop</Button>}
                {b.status === "failed" && (
                  <Button onClick={() => act.mutate(() => api.goOn(b.id))}>Go on</Button>
                )}
                {b.files.map((f) => (
                  <a
                    key={f}
                    href={`/api/bakes/${b.id}/files/${f}`}
                    download
                    className="rounded-soft border border-edge px-3 py-1 hover:bg-raised"
                  >
                    {f.endsWith(".json") ? "Sidecar" : "Map"}
                  </a>
                ))}
                {!open(b) && (
                  <Button
                    weight="quiet"
                    onClick={() =>
                      act.mutate(async () => {
                        await api.removeBake(b.id);
                        wasDeleted({ name: b.name, restore: () => api.restoreBake(b.id) });
                      })
                    }
                  >
                    Delete
                  </Button>
                )}
              </div>
            </li>
          ))}
        </ul>
        {bakes.hasNextPage && (
          <p className="pt-3">
            <Button onClick={() => void bakes.fetchNextPage()}>Show more of {first?.total}</Button>
          </p>
        )}
      </main>
    </div>
  );
}

function settingsLine({ settings: { map, file } }: Bake): string {
  const parts = [
    `${map.width} × ${map.width / 2}`,
    file.replace("_", " "),
    map.scale === "nits" ? "cd/m²" : "exposed",
  ];
  if (!map.sun) parts.push("without sun");
  if (!map.clouds) parts.push("without clouds");
  return parts.join(", ");
}

/** Shape and words tell the state; the bar fills with finished pieces. */
function State({ bake: b }: { bake: Bake }) {
  const said = {
    queued: "waiting for a worker",
    running: `${b.pieces_done} of ${b.pieces} pieces`,
    assembling: "putting the file together",
    done: "done",
    cancelled: "stopped",
    failed: `failed: ${b.problem}`,
    unknown: `${b.problem}`,
  }[b.status];
  const left = b.seconds_left === null ? "" : `, about ${leftWords(b.seconds_left)} left`;
  return (
    <div className="my-1">
      <p role="status">
        {said}
        {b.note ? `, ${b.note}` : b.status === "running" && left}
      </p>
      {open(b) && (
        <div
          role="progressbar"
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

const leftWords = (s: number) => (s < 90 ? `${Math.max(1, Math.round(s))} s` : `${Math.round(s / 60)} min`);

function Facts({ bake: b }: { bake: Bake }) {
  if (!b.facts) return null;
  const f = b.facts as {
    lights: { illuminance_lx: number; elevation_deg: number }[];
    horizontal_illuminance_lx: number;
    noise_left_percent: number;
    out_of_gamut_percent: number;
    muted: string[];
    values: string;
    bytes: number;
  };
  const took =
    b.started_at && b.finished_at ? (Date.parse(b.finished_at) - Date.parse(b.started_at)) / 1000 : null;
  const facts: [string, string][] = [
    ["Level ground", `${showNumber(f.horizontal_illuminance_lx)} lx`],
    ["Sun", `${showNumber(f.lights[0]?.illuminance_lx ?? 0)} lx`],
    ["Noise left", `${f.noise_left_percent.toFixed(1)} %`],
    ["Values", f.values],
    ["File", `${showNumber(f.bytes / 1e6)} MB`],
  ];
  if (took !== null) facts.push(["Took", `${showNumber(took)} s`]);
  if (f.out_of_gamut_percent > 0) facts.push(["Moved into gamut", `${f.out_of_gamut_percent.toFixed(1)} %`]);
  if (f.muted.length > 0) facts.push(["Muted", f.muted.join(", ")]);
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
