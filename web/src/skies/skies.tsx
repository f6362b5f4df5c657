import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api, type SkyRecord } from "../data/api";
import { Button } from "../parts/button";
import { Dialog } from "../parts/dialog";
import { FRESH, go } from "../route";

/** The wall of skies, and starters to begin from. */
export function Skies() {
  const client = useQueryClient();
  const skies = useQuery({ queryKey: ["skies"], queryFn: api.skies });
  const [wanted, setWanted] = useState("");
  const [renaming, setRenaming] = useState<SkyRecord | null>(null);
  const [starting, setStarting] = useState(false);
  const [gone, setGone] = useState<SkyRecord | null>(null);
  const refresh = () => client.invalidateQueries({ queryKey: ["skies"] });
  const act = useMutation({ mutationFn: (work: () => Promise<unknown>) => work(), onSuccess: refresh });

  const shown = (skies.data ?? []).filter((s) => s.name.toLowerCase().includes(wanted.trim().toLowerCase()));
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line px-3">
        <h1 className="text-large">Skies</h1>
        <input
          type="search"
          aria-label="Search the skies"
          placeholder="Search"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          className="ml-4 h-6 w-56 rounded-soft border border-line bg-panel px-2"
        />
        <span className="flex-1" />
        <Button weight="quiet" onClick={() => go("/bakes")}>
          Bakes
        </Button>
        <Button weight="main" onClick={() => setStarting(true)}>
          Start a sky…
        </Button>
      </header>
      {(skies.isError || act.isError) && (
        <p role="alert" className="border-b border-line px-3 py-1">
          {(act.error ?? skies.error)?.message}
        </p>
      )}
      {gone && (
        <p role="status" className="flex items-center gap-2 border-b border-line bg-panel px-3 py-1">
          “{gone.name}” was deleted.
          <Button
            onClick={() =>
              act.mutate(async () => {
                await api.restore(gone.id);
                setGone(null);
              })
            }
          >
            Undo
          </Button>
          <Button weight="quiet" onClick={() => setGone(null)}>
            Good
          </Button>
        </p>
      )}
      <main className="min-h-0 flex-1 overflow-y-auto bg-surround p-4">
        {skies.data?.length === 0 && <p className="text-black">No sky here yet. Start one.</p>}
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(380px,1fr))] gap-4">
          {shown.map((sky) => (
            <li key={sky.id} data-testid="sky" className="bg-bench">
              <a
                href={`/sky/${sky.id}`}
                onClick={(e) => {
                  e.preventDefault();
                  go(`/sky/${sky.id}`);
                }}
                className="block"
              >
                <img
                  src={`/api/skies/${sky.id}/picture.png?width=640&v=${sky.revision}`}
                  alt={`What the camera of ${sky.name} sees`}
                  className="block aspect-[16/9] w-full bg-panel object-cover"
                />
              </a>
              <div className="flex items-center justify-between py-1 pr-1 pl-3">
                <span className="truncate">{sky.name}</span>
                <Menu
                  name={sky.name}
                  items={[
                    ["Duplicate", () => act.mutate(() => api.duplicate(sky.id))],
                    ["Rename…", () => setRenaming(sky)],
                    [
                      "Delete",
                      () =>
                        act.mutate(async () => {
                          await api.remove(sky.id);
                          setGone(sky);
                        }),
                    ],
                  ]}
                />
              </div>
            </li>
          ))}
        </ul>
      </main>
      {renaming && (
        <Rename
          sky={renaming}
          onClose={() => setRenaming(null)}
          onDone={() => {
            setRenaming(null);
            void refresh();
          }}
        />
      )}
      {starting && <Start onClose={() => setStarting(false)} />}
    </div>
  );
}

function Menu({ name, items }: { name: string; items: [string, () => void][] }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`What to do with ${name}`}
        className="cursor-pointer rounded-soft px-2 text-quiet hover:bg-raised hover:text-ink"
      >
        more
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-30 rounded-soft border border-line bg-panel p-1 shadow-float"
        >
          {items.map(([title, onSelect]) => (
            <DropdownMenu.Item
              key={title}
              onSelect={onSelect}
              className="cursor-pointer rounded-soft px-3 py-1 outline-none data-[highlighted]:bg-raised"
            >
              {title}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Rename({ sky, onClose, onDone }: { sky: SkyRecord; onClose: () => void; onDone: () => void }) {
  const [name, setName] = useState(sky.name);
  const save = useMutation({ mutationFn: () => api.rename(sky.id, name), onSuccess: onDone });
  return (
    <Dialog title="Rename the sky" open onClose={onClose}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <input
          aria-label="Name"
          autoFocus
          value={name}
          maxLength={120}
          onChange={(e) => setName(e.target.value)}
          className="h-7 w-full rounded-soft border border-line bg-bench px-2"
        />
        {save.isError && (
          <p role="alert" className="mt-2">
            {save.error.message}
          </p>
        )}
        <div className="mt-3 flex justify-end gap-2">
          <Button weight="quiet" onClick={onClose}>
            Leave it
          </Button>
          <Button weight="main" type="submit">
            Rename
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
    <Dialog title="Start a sky" open onClose={onClose}>
      <ul className="flex h-[60vh] flex-col gap-2 overflow-y-auto">
        {starters.data?.map((s) => (
          <li key={s.slug}>
            <button
              type="button"
              onClick={() => begin.mutate(s.slug)}
              className="flex w-full cursor-pointer gap-3 text-left hover:bg-raised"
            >
              <img
                src={`/api/starters/${s.slug}/picture.png?width=320`}
                alt=""
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
        <Button onClick={() => begin.mutate(null)}>An empty sky</Button>
        <Button weight="quiet" onClick={onClose}>
          Leave it
        </Button>
      </div>
    </Dialog>
  );
}
