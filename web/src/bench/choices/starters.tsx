import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Starter } from "../../data/api";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { SwitchLine } from "../../ui/switch-line";
import { useBench } from "../store/bench-store";

type Take = "all" | "air" | "lights" | "clouds";
type Held = { sun: boolean; exposure: boolean; viewpoint: boolean; land: boolean };

/** What a starter gives to a sky: all of it, or a part; what is held stays. */
function applied(own: Sky, from: Sky, take: Take, held: Held): Sky {
  const next = structuredClone(own);
  const given = structuredClone(from);
  if (take === "all" || take === "air") {
    next.air = given.air;
    next.fog = given.fog;
  }
  if ((take === "all" || take === "lights") && !held.sun) {
    next.suns = given.suns;
    next.moon = given.moon;
    next.night = given.night;
    next.place = given.place;
  }
  if (take === "all" || take === "clouds") next.clouds = given.clouds;
  if (take === "all") next.source = given.source;
  if (take === "all" && !held.land) next.land = given.land;
  if (take === "all" && !held.exposure) next.grade = given.grade;
  if (take === "all" && !held.viewpoint) next.eye = given.eye;
  return next;
}

/**
 * Flicks through starters on the open sky: what is held stays as it is. What is shown is only looked at,
 * and no part of the document until it is kept.
 */
export function Starters({ onClose }: { onClose: () => void }) {
  const starters = useQuery({ queryKey: ["starters"], queryFn: api.starters, staleTime: Infinity });
  const [own] = useState(() => useBench.getState().sky);
  const [take, setTake] = useState<Take>("all");
  const [held, setHeld] = useState<Held>({ sun: false, exposure: true, viewpoint: true, land: false });
  const [chosen, setChosen] = useState<number | null>(null);
  const { showPreview, keepPreview } = useBench.getState();
  const list = starters.data ?? [];

  useEffect(() => {
    const starter: Starter | undefined = chosen === null ? undefined : starters.data?.[chosen];
    if (own && starter) showPreview(applied(own, starter.document, take, held));
  }, [own, showPreview, chosen, take, held, starters.data]);
  // However the tray is closed, what was only looked at is gone.
  useEffect(() => () => showPreview(null), [showPreview]);
  // Who changes what is shown has taken it.
  const shown = useBench((s) => s.preview !== null);
  useEffect(() => {
    if (chosen !== null && !shown && useBench.getState().sky !== own) onClose();
  }, [chosen, shown, own, onClose]);

  const leave = onClose;
  const keep = () => {
    keepPreview();
    onClose();
  };
  const flick = (step: number) =>
    setChosen((c) => (list.length ? ((c ?? (step > 0 ? -1 : 0)) + step + list.length) % list.length : null));
  return (
    <aside
      aria-label="Starters"
      data-testid="starters"
      data-own-keys
      className="absolute top-9 right-0 bottom-0 z-30 flex w-[290px] flex-col border-l border-line bg-panel shadow-float"
      onKeyDown={(e) => {
        const keys: Record<string, () => void> = {
          ArrowDown: () => flick(1),
          ArrowUp: () => flick(-1),
          Enter: keep,
          Escape: leave,
        };
        const act = keys[e.key];
        if (!act) return;
        e.preventDefault();
        e.stopPropagation();
        act();
      }}
    >
      <div className="border-b border-line px-3 pb-2">
        <SwitchLine
          label="What to take"
          value={take}
          options={[
            { value: "all", title: "All of it" },
            { value: "air", title: "Air" },
            { value: "lights", title: "Lights" },
            { value: "clouds", title: "Clouds" },
          ]}
          onChange={(v) => setTake(v as Take)}
        />
        <fieldset className="flex min-w-0 flex-wrap items-center gap-x-2">
          <legend className="float-left mr-2 text-quiet">Hold</legend>
          {(["sun", "exposure", "viewpoint", "land"] as const).map((what) => (
            <label key={what} className="flex min-h-6 cursor-pointer items-center gap-1">
              <input
                type="checkbox"
                checked={held[what]}
                onChange={(e) => setHeld({ ...held, [what]: e.target.checked })}
                className="accent-[var(--color-accent)]"
              />
              {what}
            </label>
          ))}
        </fieldset>
      </div>
      <ul className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} ref={(list) => list?.focus()}>
        {list.map((s, i) => (
          <li key={s.slug}>
            <button
              type="button"
              data-testid={`starter-${s.slug}`}
              aria-pressed={chosen === i}
              onClick={() => setChosen(i)}
              className="flex w-full cursor-pointer gap-2 border-l-4 border-transparent px-2 py-1 text-left hover:bg-raised aria-pressed:border-accent-light"
            >
              <img
                src={`/api/starters/${s.slug}/picture.png?width=160`}
                alt=""
                className="aspect-[16/9] w-20 shrink-0 bg-bench object-cover"
              />
              <span className="leading-tight">{s.name}</span>
            </button>
          </li>
        ))}
      </ul>
      <div className="flex justify-between border-t border-line p-2">
        <Button weight="quiet" onClick={leave}>
          As it was
        </Button>
        <Button weight="main" onClick={keep} disabled={chosen === null}>
          Keep it
        </Button>
      </div>
    </aside>
  );
}
