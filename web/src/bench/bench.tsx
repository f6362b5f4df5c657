import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api } from "../data/api";
import type { Schema } from "../data/fields";
import { FRESH, go } from "../route";
import { Button } from "../parts/button";
import { BakeDialog } from "../bakes/bake-dialog";
import { hasPart, partOf, resolveStale, useBench, type Part } from "./bench-store";
import { Choices } from "./choices";
import { Day } from "./day";
import { Find } from "./find";
import { fromTheTop } from "./layers";
import { Meter } from "./meter";
import { Overhead } from "./overhead";
import { Picture } from "./picture";
import { anchorOf, Section } from "./section";
import { Sheet } from "./sheet";
import { Shortcuts } from "./shortcuts";
import { Starters } from "./starters";

/** The workplace: Section at the left, the Sheet beside what is selected, the Picture to the right and lower edges. */
export function Bench({ id }: { id: string }) {
  const record = useQuery({
    queryKey: ["sky", id],
    queryFn: () => api.sky(id),
    gcTime: 0,
    staleTime: Infinity,
  });
  const schema = useQuery({ queryKey: ["schema"], queryFn: api.schema, staleTime: Infinity });
  const sky = useBench((s) => s.sky);
  const [baking, setBaking] = useState(false);
  const [handles, setHandles] = useState(true);
  const [wide, setWide] = useState(false);
  const [keys, setKeys] = useState(false);
  const [finding, setFinding] = useState(false);
  const [flicking, setFlicking] = useState(false);
  useFirstExposure();

  useEffect(() => {
    if (record.data) useBench.getState().open(record.data);
    return () => useBench.getState().close();
  }, [record.data]);

  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLElement && e.target.matches("input, textarea, select");
      const { undo, redo, select, grasp } = useBench.getState();
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z") {
        e.preventDefault();
        if (e.shiftKey) redo();
        else undo();
      }
      if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
      const actions: Record<string, () => void> = {
        Escape: () => select(null),
        ".": () => setHandles((v) => !v),
        "0": () => setWide((v) => !v),
        "1": () => select("sun0"),
        "6": () => select("place"),
        "7": () => select("source"),
        "8": () => select("fog"),
        "9": () => select("land"),
        f: () => {
          e.preventDefault();
          setFinding(true);
        },
        s: () => {
          e.preventDefault();
          setFlicking(true);
        },
        "2": () => select("air"),
        "3": () => select(nextLayer()),
        "4": () => select("eye"),
        "5": () => select("grade"),
        g: () => grasp(!useBench.getState().grasping),
        "?": () => setKeys(true),
      };
      actions[e.key]?.();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);

  if (record.isError || schema.isError)
    return (
      <main className="p-8">
        <p role="alert">{String((record.error ?? schema.error)?.message)}</p>
        <Button className="mt-3" onClick={() => go("/")}>
          Back to the skies
        </Button>
      </main>
    );
  if (!sky || !schema.data) return <main className="p-8 text-quiet">Opening…</main>;
  return (
    <div className="relative flex h-full flex-col">
      <Bar
        onBake={() => setBaking(true)}
        onKeys={() => setKeys(true)}
        onFind={() => setFinding((v) => !v)}
        onStarters={() => setFlicking((v) => !v)}
      />
      <div className="flex min-h-0 flex-1">
        {!wide && <Outline schema={schema.data as Schema} />}
        <div className="flex min-w-0 flex-1 flex-col">
          {!wide && (
            <div className="flex shrink-0 border-b border-line">
              <Overhead sky={sky} />
              <Day sky={sky} />
            </div>
          )}
          {!wide && <Meter />}
          <div className="relative flex min-h-0 flex-1">
            <Picture handles={handles} />
            <Choices sky={sky} />
          </div>
        </div>
      </div>
      {baking && <BakeDialog onClose={() => setBaking(false)} />}
      {finding && <Find sky={sky} schema={schema.data as Schema} onClose={() => setFinding(false)} />}
      {flicking && <Starters onClose={() => setFlicking(false)} />}
      {keys && <Shortcuts onClose={() => setKeys(false)} />}
    </div>
  );
}

/** An empty sky opens once at the suggested exposure; after that nothing moves it but the hand. */
function useFirstExposure() {
  const suggested = useBench((s) => s.shot?.readouts?.suggested_ev100);
  useEffect(() => {
    if (suggested === undefined || location.hash !== FRESH) return;
    history.replaceState(null, "", location.pathname);
    useBench.getState().change((s) => {
      s.grade.ev100 = Math.round(suggested * 10) / 10;
    });
  }, [suggested]);
}

/** Overhead and Day stay free above the sheet, pixels. */
const METER = 134;

/** The Section, and the Sheet unfolded at the height of what is selected. */
/** The layer below the selected one, or the highest; where there is none, the place to add one. */
function nextLayer(): Part {
  const { sky, part } = useBench.getState();
  const layers = sky ? fromTheTop(sky) : [];
  const next = layers[layers.findIndex((l) => partOf(l) === part) + 1] ?? layers[0];
  return next ? partOf(next) : "clouds";
}

function Outline({ schema }: { schema: Schema }) {
  const box = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(700);
  const sky = useBench((s) => s.sky);
  const part = useBench((s) => (s.sky && s.part && hasPart(s.sky, s.part) ? s.part : null));
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setHeight(element.clientHeight));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  if (!sky) return null;
  const anchor = part ? anchorOf(part, sky, height) : 0;
  // Above the middle the sheet hangs down from its band, below it stands up from it; or the other way round.
  const tall = 560;
  const hangs = anchor < height * 0.45;
  const top = Math.max(METER, Math.min(anchor, height - tall));
  const place = hangs
    ? { top }
    : { bottom: Math.max(8, Math.min(height - anchor - 60, height - METER - tall)) };
  return (
    <div ref={box} className="relative z-10 flex shrink-0">
      <Section sky={sky} usual={schema.usual} />
      {part && (
        <aside
          key={part}
          aria-label="Sheet"
          className="unfold absolute left-[220px] flex w-[290px] flex-col border border-line bg-panel shadow-float"
          style={{ ...place, maxHeight: (hangs ? height - top : height - METER) - 8 }}
        >
          <Sheet part={part} sky={sky} schema={schema} />
        </aside>
      )}
    </div>
  );
}

function Bar({
  onBake,
  onKeys,
  onFind,
  onStarters,
}: {
  onBake: () => void;
  onKeys: () => void;
  onFind: () => void;
  onStarters: () => void;
}) {
  const { undo, redo, say } = useBench.getState();
  const record = useBench((s) => s.record);
  const past = useBench((s) => s.past.length);
  const moving = useBench((s) => s.before !== null);
  const future = useBench((s) => s.future.length);
  const note = useBench((s) => s.note);
  return (
    <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line bg-bench px-2">
      <Button weight="quiet" onClick={() => go("/")}>
        Skies
      </Button>
      <h1 className="truncate text-large">{record?.name}</h1>
      <SaveState />
      <Button weight="quiet" onClick={undo} disabled={past === 0 && !moving}>
        Undo
      </Button>
      <Button weight="quiet" onClick={redo} disabled={future === 0}>
        Redo
      </Button>
      {note && (
        <p role="status" className="truncate text-quiet">
          {note}{" "}
          <button type="button" className="cursor-pointer underline" onClick={() => say(null)}>
            Good
          </button>
        </p>
      )}
      <span className="flex-1" />
      <Button weight="quiet" onClick={onFind}>
        Find
      </Button>
      <Button weight="quiet" onClick={onStarters}>
        Starters
      </Button>
      <Button weight="quiet" onClick={onKeys}>
        Keys
      </Button>
      <Button weight="quiet" onClick={() => go("/bakes")}>
        Bakes
      </Button>
      <Button weight="main" onClick={onBake}>
        Bake…
      </Button>
    </header>
  );
}

function SaveState() {
  const saving = useBench((s) => s.saving);
  const said = {
    saved: "saved",
    unsaved: "saving…",
    away: "The database is away: your changes are kept here and saved when it is back.",
    stale: "This sky was changed elsewhere.",
    refused: "",
  }[saving.state];
  const fault =
    saving.state === "refused"
      ? saving.problems.map((p) => `${p.path}: ${p.message}`).join("; ") || saving.message
      : "";
  return (
    <p data-testid="saving" data-state={saving.state} role="status" className="shrink-0 text-quiet">
      {fault ? `Not saved: ${fault}` : said}
      {saving.state === "stale" && (
        <>
          {" "}
          <Button onClick={() => void resolveStale(true)}>Keep mine</Button>{" "}
          <Button onClick={() => void resolveStale(false)}>Take theirs</Button>
        </>
      )}
    </p>
  );
}
