import { t } from "../text";
import { create } from "zustand";
import { persist } from "zustand/middleware";
import { Button } from "./button";

/** Hints for who is new, in the order in which they come; each stands where it is about. */
const hints = {
  skies: t(
    "Every sky here can be opened, changed and copied. “Start a sky” begins from one of the starters.",
  ),
  section: t(
    "The sky from space down to the ground. Press a part to change it; drag a layer to move it up or down.",
  ),
  picture: t(
    "Drag the sun by its ring, and the sky to look around. Nothing but your hand moves the exposure.",
  ),
  day: t("Drag along the day: light follows the hour."),
  find: t("Type a plain word, like redder or bigger: the rows that do it come up."),
} as const;
export type HintName = keyof typeof hints;
const names = Object.keys(hints) as HintName[];

type Seen = { seen: HintName[]; close: (name: HintName) => void; closeAll: () => void };

const useHints = create<Seen>()(
  persist(
    (set, get) => ({
      seen: [],
      close: (name) => set({ seen: [...get().seen, name] }),
      closeAll: () => set({ seen: names }),
    }),
    { name: "tenter:hints" },
  ),
);

/** Whether a hint is the next one; the wall's own waits for nobody. */
const isNext = (name: HintName, seen: HintName[]) =>
  !seen.includes(name) &&
  names.every(
    (other) => other === "skies" || names.indexOf(other) >= names.indexOf(name) || seen.includes(other),
  );

/** A hint where it belongs, until it is closed for good; hints come one after the other. */
export function FirstHint({ name, className }: { name: HintName; className: string }) {
  const shown = useHints((s) => isNext(name, s.seen));
  const { close, closeAll } = useHints.getState();
  if (!shown) return null;
  return (
    <aside
      aria-label={t("Hint")}
      data-testid={`hint-${name}`}
      className={
        "pointer-events-none absolute z-20 w-52 rounded-soft border border-edge bg-bench p-2 shadow-float " +
        className
      }
    >
      <p>{hints[name]}</p>
      <p className="mt-1 flex gap-1">
        <Button className="pointer-events-auto px-2 py-0" onClick={() => close(name)}>
          {t("Got it")}
        </Button>
        <Button weight="quiet" className="pointer-events-auto px-2 py-0" onClick={closeAll}>
          {t("No hints")}
        </Button>
      </p>
    </aside>
  );
}
