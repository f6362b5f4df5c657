import { t } from "../text";
import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { api, starterPicture, type SkySort, type SkySummary } from "../data/api";
import { Button } from "../ui/button";
import { Choice } from "../ui/choice";
import { when } from "../ui/dates";
import { wasDeleted } from "../ui/deleted-note";
import { Menu } from "../ui/menu";
import { NoticeLine, useFault } from "../ui/notices";
import { Dialog } from "../ui/dialog";
import { FirstHint } from "../ui/first-hints";
import { QueuedImage } from "../ui/queued-image";
import { ViewLink } from "../ui/view-link";
import { FRESH, go } from "../route";

const sorts = [
  { value: "changed", title: t("Last changed") },
  { value: "made", title: t("Newest") },
  { value: "name", title: t("Name") },
];
/** Skies of a page of the wall. */
const PAGE = 60;

/** What the wall was like when it was left: a sky that is looked at and left leads back to the same place. */
const left = { search: "", sort: "changed" as SkySort, scroll: 0 };

/** The wall of skies, and starters to begin from. */
export function Skies() {
  const client = useQueryClient();
  const [wanted, setWanted] = useState(left.search);
  const [sort, setSort] = useState(left.sort);
  const skies = useInfiniteQuery({
    queryKey: ["skies", wanted, sort],
    queryFn: ({ pageParam }) =>
      api.skies({ search: wanted, sort, bin: false, limit: PAGE, offset: pageParam }),
    initialPageParam: 0,
    getNextPageParam: ({ total }, pages) => (pages.length * PAGE < total ? pages.length * PAGE : undefined),
    placeholderData: keepPreviousData,
  });
  const [renaming, setRenaming] = useState<SkySummary | null>(null);
  const [tagging, setTagging] = useState<SkySummary | null>(null);
  const [starting, setStarting] = useState(false);
  const refresh = () => client.invalidateQueries({ queryKey: ["skies"] });
  const act = useMutation({ mutationFn: (work: () => Promise<unknown>) => work(), onSuccess: refresh });
  const wall = useRef<HTMLElement>(null);
  Object.assign(left, { search: wanted, sort });

  // Back to where the wall was left, once its skies are there.
  const there = skies.data !== undefined;
  useLayoutEffect(() => {
    if (there && wall.current) wall.current.scrollTop = left.scroll;
  }, [there]);

  const list = skies.data?.pages.flatMap((page) => page.skies) ?? [];
  // The focus goes to the neighbour of what is gone.
  const neighbour = useRef<string | null>(null);
  useEffect(() => {
    if (!neighbour.current || document.activeElement !== document.body) return;
    document.getElementById(neighbour.current)?.focus();
    neighbour.current = null;
  }, [list.length]);
  const remove = (sky: SkySummary) => {
    const i = list.findIndex((s) => s.id === sky.id);
    neighbour.current = (list[i + 1] ?? list[i - 1])?.id ?? null;
    act.mutate(async () => {
      await api.remove(sky.id);
      wasDeleted({ list: "skies", inBin: true, name: sky.name, restore: () => api.restore(sky.id) });
    });
  };
  useFault("skies", (act.error ?? skies.error)?.message);
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <h1 className="text-large">{t("Skies")}</h1>
        <input
          type="search"
          aria-label={t("Search the skies by name or tag")}
          placeholder={t("Name or tag")}
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          className="ml-4 h-6 w-56 rounded-soft border border-edge bg-panel px-2"
        />
        <div className="w-36">
          <Choice label={t("Sort by")} value={sort} options={sorts} onChange={(v) => setSort(v as SkySort)} />
        </div>
        <span className="flex-1" />
        <Button weight="quiet" onClick={() => go("/bin")}>
          {t("Bin")}
        </Button>
        <Button weight="quiet" onClick={() => go("/bakes")}>
          {t("Bakes")}
        </Button>
        <span className="relative">
          <Button weight="main" onClick={() => setStarting(true)}>
            {t("Start a sky…")}
          </Button>
          <FirstHint name="skies" className="top-8 right-0" />
        </span>
      </header>
      <main
        ref={wall}
        className="min-h-0 flex-1 overflow-y-auto bg-surround p-4"
        onScroll={(e) => (left.scroll = e.currentTarget.scrollTop)}
      >
        {there && list.length === 0 && (
          <p role="status" className="text-black">
            {wanted.trim()
              ? t("No sky has “{{wanted}}” in its name or tags.", { wanted: wanted.trim() })
              : t("No sky here yet. Start one.")}
          </p>
        )}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(380px,1fr))] gap-4">
          {list.map((sky) => (
            <li key={sky.id} data-testid="sky" className="bg-bench">
              <ViewLink path={`/sky/${sky.id}`} className="block" apart>
                <QueuedImage
                  src={`/api/skies/${sky.id}/picture.png?width=640&v=${sky.revision}`}
                  className="block aspect-[16/9] w-full bg-panel object-cover"
                />
              </ViewLink>
              <div className="flex min-h-8 items-center gap-2 pr-1 pl-3">
                <ViewLink
                  path={`/sky/${sky.id}`}
                  className="min-w-0 truncate py-[3px] hover:underline"
                  id={sky.id}
                >
                  {sky.name}
                </ViewLink>
                {sky.tags.map((tag) => (
                  <button
                    key={tag}
                    type="button"
                    title={t("Skies with {{tag}}", { tag })}
                    className="min-h-6 min-w-6 shrink-0 cursor-pointer truncate text-small text-quiet hover:text-ink hover:underline"
                    onClick={() => setWanted(tag)}
                  >
                    {tag}
                  </button>
                ))}
                <span className="ml-auto shrink-0 text-small text-quiet">{when(sky.updated_at)}</span>
                <Menu
                  words={t("more")}
                  label={t("more: what to do with {{name}}", { name: sky.name })}
                  className="text-quiet hover:bg-raised hover:text-ink"
                  items={[
                    [t("Duplicate"), () => act.mutate(() => api.duplicate(sky.id))],
                    [t("Rename…"), () => setRenaming(sky)],
                    [t("Tags…"), () => setTagging(sky)],
                    [t("Delete"), () => remove(sky)],
                  ]}
                />
              </div>
            </li>
          ))}
        </ul>
        {skies.hasNextPage && (
          <p className="mt-4 text-center">
            <Button weight="main" onClick={() => void skies.fetchNextPage()}>
              {t("Show more of {{total}}", { total: skies.data?.pages[0]?.total })}
            </Button>
          </p>
        )}
      </main>
      <NoticeLine />
      {renaming && (
        <TextDialog
          title={t("Rename the sky")}
          back={renaming.id}
          label={t("Name")}
          act={t("Rename")}
          text={renaming.name}
          most={120}
          save={(name) => api.rename(renaming.id, name)}
          onClose={() => setRenaming(null)}
          onDone={() => void refresh()}
        />
      )}
      {tagging && (
        <TextDialog
          title={t("Tags of the sky")}
          back={tagging.id}
          label={t("Tags, with commas between them")}
          act={t("Keep")}
          text={tagging.tags.join(", ")}
          most={500}
          save={(text) =>
            api.tag(
              tagging.id,
              text
                .split(",")
                .map((tag) => tag.trim())
                .filter(Boolean),
            )
          }
          onClose={() => setTagging(null)}
          onDone={() => void refresh()}
        />
      )}
      {starting && <Start onClose={() => setStarting(false)} />}
    </div>
  );
}

/** Asks for a text and saves it. */
function TextDialog({
  title,
  back,
  label,
  act,
  text,
  most,
  save,
  onClose,
  onDone,
}: {
  title: string;
  back: string;
  label: string;
  act: string;
  text: string;
  most: number;
  save: (text: string) => Promise<unknown>;
  onClose: () => void;
  onDone: () => void;
}) {
  const [typed, setTyped] = useState(text);
  const saving = useMutation({
    mutationFn: () => save(typed),
    onSuccess: () => {
      onDone();
      onClose();
    },
  });
  return (
    <Dialog title={title} open onClose={onClose} back={back}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          saving.mutate();
        }}
      >
        <input
          aria-label={label}
          autoFocus
          value={typed}
          maxLength={most}
          onChange={(e) => setTyped(e.target.value)}
          className="h-7 w-full rounded-soft border border-edge bg-bench px-2"
        />
        {saving.isError && (
          <p role="alert" className="mt-2">
            {saving.error.message}
          </p>
        )}
        <div className="mt-3 flex justify-end gap-2">
          <Button weight="quiet" onClick={onClose}>
            {t("Cancel")}
          </Button>
          <Button weight="main" type="submit">
            {act}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** Starters are copied on use: the sky that is started shares nothing with them. */
function Start({ onClose }: { onClose: () => void }) {
  const starters = useQuery({ queryKey: ["starters"], queryFn: api.starters, staleTime: Infinity });
  const begin = useMutation({
    mutationFn: (slug: string | null) => (slug ? api.fromStarter(slug) : api.empty()),
    // An empty sky has no exposure of its own yet: the Bench takes the suggested one, once.
    onSuccess: (sky, slug) => go(`/sky/${sky.id}${slug ? "" : FRESH}`),
  });
  return (
    <Dialog title={t("Start a sky")} open onClose={onClose}>
      <ul className="flex h-[60vh] flex-col gap-2 overflow-y-auto">
        {starters.data?.map((s) => (
          <li key={s.slug}>
            <button
              type="button"
              onClick={() => begin.mutate(s.slug)}
              className="flex w-full cursor-pointer gap-3 text-left hover:bg-raised"
            >
              <QueuedImage
                src={starterPicture(s.slug)}
                className="aspect-[16/9] w-36 shrink-0 bg-bench object-cover"
              />
              <span className="py-1">
                {s.name}
                <span className="block text-small text-quiet">{s.about}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
      {begin.isError && <p role="alert">{begin.error.message}</p>}
      <div className="mt-3 flex justify-between">
        <Button onClick={() => begin.mutate(null)}>{t("An empty sky")}</Button>
        <Button weight="quiet" onClick={onClose}>
          {t("Cancel")}
        </Button>
      </div>
    </Dialog>
  );
}
