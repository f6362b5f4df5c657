import { t } from "../../text";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, starterPicture, type Starter } from "../../data/api";
import { partTitles, type Part } from "../../data/parts";
import { Button } from "../../ui/button";
import { wasDeleted } from "../../ui/deleted-note";
import { Menu } from "../../ui/menu";
import { tell } from "../../ui/notices";
import { QueuedImage } from "../../ui/queued-image";
import { SwitchLine } from "../../ui/switch-line";
import { useBench } from "../store/bench-store";
import { given, type Held } from "./give-part";
import { KeepStarter } from "./keep-starter";
import { anewStarters, dragStarter, keepStarterFiles, sendStarters, STARTERS } from "./own-starters";

/** Parts that can be taken of a whole sky. */
/** What a starter may leave as it is, in words. */
const holds: Record<keyof Held, string> = {
  sun: t("sun"),
  exposure: t("exposure"),
  viewpoint: t("viewpoint"),
  land: t("land"),
};
const takes: Part[] = ["all", "air", "lights", "clouds", "grade"];

/** Whether a starter's name, tags or line hold all words that are typed. */
export const isFound = (s: Starter, typed: string) => {
  const said = [s.name, s.about, ...s.tags, s.own ? t("own") : "shipped", partTitles[s.part]].join(" ");
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return words.every((w) => said.toLowerCase().includes(w));
};

/**
 * Flicks through starters on the open sky, one's own and those that ship: what is held stays as it is. What
 * is shown is only looked at, and no part of the document until it is kept.
 */
export function Starters({ onClose }: { onClose: () => void }) {
  const starters = useQuery({ queryKey: STARTERS, queryFn: api.starters, staleTime: Infinity });
  const [own] = useState(() => useBench.getState().sky);
  const [take, setTake] = useState<Part>("all");
  const [held, setHeld] = useState<Held>({ sun: false, exposure: true, viewpoint: true, land: false });
  const [chosen, setChosen] = useState<string | null>(null);
  const [typed, setTyped] = useState("");
  const [keeping, setKeeping] = useState<Starter | "new" | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const { showPreview, keepPreview } = useBench.getState();
  const list = (starters.data ?? []).filter((s) => isFound(s, typed));
  const starter = list.find((s) => s.slug === chosen);

  useEffect(() => {
    // Of a starter that is a part, nothing else is offered.
    const part = starter && starter.part !== "all" ? starter.part : take;
    if (own && starter) showPreview(given(own, starter.document, part, held));
  }, [own, showPreview, starter, take, held]);
  // However the tray is closed, what was only looked at is gone.
  useEffect(() => () => showPreview(null), [showPreview]);
  // Who changes what is shown has taken it.
  const shown = useBench((s) => s.preview !== null);
  useEffect(() => {
    if (chosen !== null && !shown && useBench.getState().sky !== own) onClose();
  }, [chosen, shown, own, onClose]);

  const keep = () => {
    keepPreview();
    onClose();
  };
  const flick = (step: number) => {
    const at = list.findIndex((s) => s.slug === chosen);
    const from = at === -1 && step < 0 ? 0 : at;
    const next = list[(from + step + list.length) % list.length];
    if (next) setChosen(next.slug);
  };
  const { record } = useBench.getState();
  return (
    <aside
      aria-label={t("Starters")}
      data-testid="starters"
      data-own-keys
      className="flex w-[290px] shrink-0 flex-col border-l border-line bg-panel"
      onKeyDown={(e) => {
        if (e.target instanceof HTMLElement && e.target.closest("[role=dialog], [role=menu]")) return;
        const isText = e.target instanceof HTMLInputElement && e.target.type === "search";
        const keys: Record<string, () => void> = {
          ArrowDown: () => flick(1),
          ArrowUp: () => flick(-1),
          ...(chosen === null ? {} : { Enter: keep }),
          Escape: isText && typed ? () => setTyped("") : onClose,
        };
        // A button does what it says.
        const act = e.key === "Enter" && e.target instanceof HTMLButtonElement ? undefined : keys[e.key];
        if (!act) return;
        e.preventDefault();
        e.stopPropagation();
        act();
      }}
    >
      <div className="border-b border-line px-3 pb-2">
        <SwitchLine
          label={t("What to take")}
          value={take}
          options={takes.map((value) => ({ value, title: value === "all" ? t("All") : partTitles[value] }))}
          onChange={(v) => setTake(v as Part)}
        />
        <fieldset className="flex min-w-0 flex-wrap items-center gap-x-2">
          <legend className="float-left mr-2 text-quiet">{t("Hold")}</legend>
          {(["sun", "exposure", "viewpoint", "land"] as const).map((what) => (
            <label key={what} className="flex min-h-6 cursor-pointer items-center gap-1">
              <input
                type="checkbox"
                checked={held[what]}
                onChange={(e) => setHeld({ ...held, [what]: e.target.checked })}
                className="accent-[var(--color-accent)]"
              />
              {holds[what]}
            </label>
          ))}
        </fieldset>
        <input
          type="search"
          aria-label={t("Search the starters by name, tag or what they offer")}
          placeholder={t("name, tag, own")}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className="mt-1 h-6 w-full rounded-soft border border-edge bg-bench px-2"
        />
      </div>
      <ul className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} ref={focusOnce}>
        {list.map((s) => (
          <li key={s.slug} className="flex items-center hover:bg-raised">
            <button
              type="button"
              data-testid={`starter-${s.slug}`}
              aria-pressed={chosen === s.slug}
              draggable
              onDragStart={(e) => dragStarter(e.dataTransfer, s)}
              onClick={() => setChosen(s.slug)}
              className={
                "flex min-w-0 flex-1 cursor-pointer gap-2 border-l-4 border-transparent px-2 py-1 " +
                "text-left aria-pressed:border-accent-light"
              }
            >
              <QueuedImage
                src={starterPicture(s.slug)}
                className="aspect-[16/9] w-20 shrink-0 bg-bench object-cover"
              />
              <span className="min-w-0 leading-tight">
                {s.name}
                {(s.own || s.part !== "all") && (
                  <span className="block truncate text-small text-quiet">
                    {[s.part === "all" ? t("own") : partTitles[s.part].toLowerCase(), ...s.tags].join(" · ")}
                  </span>
                )}
              </span>
            </button>
            <StarterMenu starter={s} onLabel={() => setKeeping(s)} />
          </li>
        ))}
        {list.length === 0 && !starters.isPending && (
          <li className="px-3 py-2 text-quiet">
            {starters.isError ? starters.error.message : t("No starter is called so.")}
          </li>
        )}
      </ul>
      <div className="flex flex-wrap gap-1 border-t border-line p-2">
        <Button weight="quiet" className="px-2" onClick={() => setKeeping("new")}>
          {t("Keep this sky…")}
        </Button>
        <Button weight="quiet" className="px-2" onClick={() => file.current?.click()}>
          {t("From files…")}
        </Button>
        <input
          ref={file}
          type="file"
          multiple
          accept="application/json,.json"
          aria-label={t("Files with starters")}
          className="hidden"
          onChange={(e) => {
            void keepStarterFiles([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
        {list.some((s) => s.own) && (
          <Button
            weight="quiet"
            className="px-2"
            title={t("All of one's own that are listed, as one file")}
            onClick={() => sendStarters(list.filter((s) => s.own))}
          >
            {t("To a file")}
          </Button>
        )}
      </div>
      <div className="flex justify-between border-t border-line p-2">
        <Button weight="quiet" onClick={onClose}>
          {t("As it was")}
        </Button>
        <Button weight="main" onClick={keep} disabled={chosen === null}>
          {t("Keep it")}
        </Button>
      </div>
      {keeping && own && (
        <KeepStarter
          sky={keeping === "new" ? own : keeping.document}
          name={record?.name ?? "Sky"}
          starter={keeping === "new" ? undefined : keeping}
          onClose={() => setKeeping(null)}
        />
      )}
    </aside>
  );
}

/** The focus is with the list when the tray opens. */
const focusOnce = (list: HTMLUListElement | null) => list?.focus();

/** What can be done with a starter: those that ship are only sent. */
function StarterMenu({ starter, onLabel }: { starter: Starter; onLabel: () => void }) {
  const remove = async () => {
    try {
      await api.removeStarter(starter.slug);
      wasDeleted({ list: "starters", name: starter.name, restore: () => api.restoreStarter(starter.slug) });
      await anewStarters();
    } catch (e) {
      tell({ key: "starters", words: (e as Error).message });
    }
  };
  const items: [string, () => void][] = [
    [t("Save as a file"), () => sendStarters([starter])],
    ...(starter.own
      ? ([
          [t("Name, tags…"), onLabel],
          [t("Delete"), () => void remove()],
        ] as [string, () => void][])
      : []),
  ];
  return (
    <Menu
      words={t("more")}
      label={t("more: what to do with {{name}}", { name: starter.name })}
      items={items}
      className="text-small text-quiet hover:text-ink"
    />
  );
}
