import { t } from "../../text";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import type { Choice } from "../store/view";
import { SmallPicture } from "./small-picture";

/** Of a picture that is asked for, pixels. */
const WIDTH = 240;

/** Ways the sky could be, as pictures in a dock under the Picture; one is taken, or none. */
export function Choices({ sky }: { sky: Sky }) {
  const choice = useBench((s) => s.choice);
  return choice ? <Offered key={choice.title} choice={choice} sky={sky} /> : null;
}

type Way = Choice["options"][number];

/** What the sky is now, where no way says so. */
const asItIs: Way = { label: t("as it is"), edit: () => {}, now: true };

function Offered({ choice, sky }: { choice: Choice; sky: Sky }) {
  const { change, offer, showPreview } = useBench.getState();
  const list = useRef<HTMLOListElement>(null);
  // The focus goes back to where it was when the ways were offered.
  const [before] = useState(() => document.activeElement);
  useEffect(
    () => () => {
      showPreview(null);
      if (before instanceof HTMLElement && before.isConnected) before.focus();
    },
    [before, showPreview],
  );
  // What the ways start from: the sky as it was when they were offered.
  const [own] = useState(sky);
  const ways = choice.options.some((o) => o.now) ? choice.options : [...choice.options, asItIs];
  const take = ({ edit }: Way) => {
    showPreview(null);
    change(edit);
    offer(null);
  };
  /** Shows a way large while it is pointed at, or has the focus. */
  const show = (way: Way | null) => showPreview(way && !way.now ? edited(own, way.edit) : null);
  const press = (e: KeyboardEvent) => {
    if (e.key === "Escape") {
      e.stopPropagation();
      return offer(null);
    }
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
    const buttons = [...(list.current?.querySelectorAll("button") ?? [])];
    const at = buttons.findIndex((b) => b === document.activeElement);
    if (!step || at < 0) return;
    e.preventDefault();
    buttons[(at + step + buttons.length) % buttons.length]?.focus();
  };
  return (
    <section
      aria-label={choice.title}
      data-testid="choices"
      data-own-keys
      className="max-h-[45%] shrink-0 overflow-y-auto border-t border-line bg-panel px-3 py-2"
      onKeyDown={press}
    >
      <header className="mb-1 flex items-center gap-3">
        <h2 className="text-large">{choice.title}</h2>
        {choice.note && <p className="text-quiet">{choice.note}</p>}
        {choice.more && (
          <Button weight="quiet" onClick={() => offer(choice.more?.next() ?? null)}>
            {choice.more.words}
          </Button>
        )}
        <Button weight="quiet" className="ml-auto" onClick={() => offer(null)}>
          {t("Cancel")}
        </Button>
      </header>
      <ol ref={list} className="flex flex-wrap gap-2" onPointerLeave={() => show(null)}>
        {ways.map((way) => (
          <li key={`${choice.title} ${way.label}`} className="w-28">
            <button
              type="button"
              data-testid={way === asItIs ? "choice-own" : "choice"}
              autoFocus={way.now}
              onClick={() => take(way)}
              onFocus={() => show(way)}
              onPointerEnter={() => show(way)}
              className="block w-full cursor-pointer text-left focus-visible:outline-2 focus-visible:outline-accent-light"
            >
              <SmallPicture document={() => edited(own, way.edit)} width={WIDTH} />
              <span className={`font-value text-small ${way.now ? "text-ink" : "text-quiet"}`}>
                {way.label}
              </span>
            </button>
          </li>
        ))}
      </ol>
    </section>
  );
}

function edited(own: Sky, edit: (s: Sky) => void): Sky {
  const document = structuredClone(own);
  edit(document);
  return document;
}
