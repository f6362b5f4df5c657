import { t } from "../../../text";
import { useEffect, useRef, useState } from "react";
import { fieldName, type Change } from "../../../data/changes";
import { showNumber } from "../../../data/number";
import type { Sky } from "../../../data/sky";
import { SmallPicture } from "../../choices/small-picture";
import { useBench } from "../../store/bench-store";
import { between } from "../../store/history";

const WIDTH = 96;

/** A value as a list shows it. */
function shown(value: unknown): string {
  if (typeof value === "number") return showNumber(value);
  if (typeof value === "string") return value;
  if (typeof value === "boolean") return value ? t("yes") : t("no");
  return "";
}

/** The name a layer has, where a field's path has its id. */
const named = (words: string, sky: Sky) =>
  sky.clouds.reduce((said, layer) => said.replace(`clouds, ${layer.id}`, layer.name || layer.id), words);

/** What was changed between two documents, in words. */
export function stepName(from: Sky, to: Sky): string {
  const changes = between(from, to).filter((c) => !c.order);
  const first: Change | undefined = changes[0];
  if (!first) return t("order of the layers");
  const gone = first.path.length === 2 && first.path[0] === "clouds" && first.value === undefined;
  const field = named(fieldName(first), gone ? from : to);
  const value = shown(first.value);
  const what = gone ? t("{{field}} deleted", { field }) : value ? `${field}: ${value}` : field;
  return changes.length > 1 ? t("{{what}}, and {{value}} more", { what, value: changes.length - 1 }) : what;
}

/** Every step that was made, the newest first; one press goes to it. */
export function HistoryRows() {
  const sky = useBench((s) => s.sky);
  const past = useBench((s) => s.past);
  const future = useBench((s) => s.future);
  const { step } = useBench.getState();
  if (!sky) return null;
  const states = [...past, sky, ...future];
  const now = past.length;
  return (
    <ol data-testid="history" className="py-1">
      {states
        .map((state, i) => {
          const before = states[i - 1];
          return (
            <li key={i}>
              <button
                type="button"
                aria-current={i === now ? "step" : undefined}
                onClick={() => step(i - now)}
                className={
                  "flex w-full cursor-pointer gap-2 border-l-4 border-transparent py-1 pl-2 text-left " +
                  `hover:bg-raised aria-[current=step]:border-accent-light ${i > now ? "text-quiet" : ""}`
                }
              >
                <Seen>
                  <SmallPicture document={() => state} width={WIDTH} />
                </Seen>
                <span className="min-w-0 leading-tight break-words">
                  {before ? stepName(before, state) : t("As it was first")}
                  {i === now && <span className="block text-small text-quiet">{t("now")}</span>}
                </span>
              </button>
            </li>
          );
        })
        .reverse()}
    </ol>
  );
}

/** What is made once it comes into view. */
function Seen({ children }: { children: React.ReactNode }) {
  const box = useRef<HTMLSpanElement>(null);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    if (!box.current) return;
    const watch = new IntersectionObserver(([entry]) => entry?.isIntersecting && setSeen(true));
    watch.observe(box.current);
    return () => watch.disconnect();
  }, []);
  return (
    <span ref={box} className="block aspect-[16/9] w-16 shrink-0 bg-bench text-small">
      {seen && children}
    </span>
  );
}
