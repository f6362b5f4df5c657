import { useEffect, useState } from "react";
import type { Sky } from "../../data/sky";
import { Button } from "../../ui/button";
import { useBench } from "../store/bench-store";
import type { Choice } from "../store/view";
import { SmallPicture } from "./small-picture";

/** Of a picture that is asked for, pixels. */
const WIDTH = 320;
/** Pictures side by side, if there are more than five. */
const ACROSS = 3;

/** Ways the sky could be, as pictures over the Picture; one is taken, or none. */
export function Choices({ sky }: { sky: Sky }) {
  const choice = useBench((s) => s.choice);
  return choice ? <Offered key={choice.title} choice={choice} sky={sky} /> : null;
}

function Offered({ choice, sky }: { choice: Choice; sky: Sky }) {
  const { change, offer } = useBench.getState();
  // The focus goes back to where it was when the ways were offered.
  const [before] = useState(() => document.activeElement);
  useEffect(
    () => () => {
      if (before instanceof HTMLElement && before.isConnected) before.focus();
    },
    [before],
  );
  // What the ways start from: the sky as it was when they were offered.
  const [own] = useState(sky);
  const across = choice.options.length > 5 ? ACROSS : choice.options.length;
  const take = (edit: (s: Sky) => void) => {
    change(edit);
    offer(null);
  };
  return (
    <section
      aria-label={choice.title}
      data-testid="choices"
      data-own-keys
      className="absolute right-0 bottom-0 left-0 z-20 border-t border-line bg-panel p-3 shadow-float"
      onKeyDown={(e) => {
        if (e.key !== "Escape") return;
        e.stopPropagation();
        offer(null);
      }}
    >
      <header className="mb-2 flex items-center gap-3">
        <h2 className="text-large">{choice.title}</h2>
        {choice.note && <p className="text-quiet">{choice.note}</p>}
        {choice.more && (
          <Button weight="quiet" onClick={() => offer(choice.more?.next() ?? null)}>
            {choice.more.words}
          </Button>
        )}
        <Button weight="quiet" className="ml-auto" onClick={() => offer(null)}>
          Cancel
        </Button>
      </header>
      <ol
        className="grid gap-2"
        style={{
          gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
          maxWidth: widest(across, Math.ceil(choice.options.length / across)),
        }}
      >
        {choice.options.map((option, i) => (
          <li key={`${choice.title} ${option.label}`}>
            <button
              type="button"
              data-testid="choice"
              autoFocus={i === 0}
              onClick={() => take(option.edit)}
              className="block w-full cursor-pointer text-left focus-visible:outline-2 focus-visible:outline-accent-light"
            >
              <SmallPicture document={() => edited(own, option.edit)} width={WIDTH} />
              <span className={`font-value text-small ${option.now ? "text-ink underline" : "text-quiet"}`}>
                {option.label}
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

/** So wide that pictures, with a line of words under each, leave some of the Picture to be seen. */
const widest = (across: number, rows: number) => `calc((64vh / ${rows} - 24px) * ${(across * 16) / 9})`;
