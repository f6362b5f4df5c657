import { t } from "../../text";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Group, Panel, Separator, useDefaultLayout } from "react-resizable-panels";
import { api } from "../../data/api";
import type { Schema } from "../../data/fields";
import { FRESH, go } from "../../route";
import { Button } from "../../ui/button";
import { FirstHint } from "../../ui/first-hints";
import { NoticeLine } from "../../ui/notices";
import { BakeDialog } from "../../bakes/bake-dialog";
import { newDraft, type BakeDraft } from "../../data/bakes";
import { fieldName } from "../../data/changes";
import { resolveConflicts, saveNow } from "../store/autosave";
import { useBench } from "../store/bench-store";
import { useComparing } from "../store/comparing";
import { shownSky } from "../store/document";
import { useLooking } from "../store/looking";
import { hasSelected, selectionOf, type Selection } from "../store/selection";
import { Choices } from "../choices/choices";
import { CompareBar } from "../compare/comparison";
import { pinNow } from "../compare/pins";
import { Day } from "../day/day";
import { commandsOf } from "./commands";
import { Find } from "./find";
import { fromTheTop } from "../layers/layers";
import { Meter } from "../preview/meter";
import { Overhead } from "../overhead/overhead";
import { developWords } from "../preview/display-transform";
import { Picture } from "../preview/picture";
import { Section } from "../section/section";
import { Sheet } from "../sheet/sheet";
import { isForBench, isTyping, isUnentered } from "./shortcut-keys";
import { Shortcuts } from "./shortcuts";
import { useDrops } from "./use-drops";
import { Starters } from "../choices/starters";

// For the test that holds the shader against the core.
Object.assign(window, { tenterDevelopWords: developWords });

/**
 * The workplace: Section at the left, the Sheet beside what is selected, the Picture to the right and lower
 * edges.
 */
export function Bench({ id }: { id: string }) {
  const record = useQuery({
    queryKey: ["sky", id],
    queryFn: () => api.sky(id),
    gcTime: 0,
    staleTime: Infinity,
  });
  const schema = useQuery({ queryKey: ["schema"], queryFn: api.schema, staleTime: Infinity });
  const sky = useBench(shownSky);
  const baking = useBench((s) => s.baking);
  const cutting = useBench((s) => s.cutting);
  const [handles, setHandles] = useState(true);
  const [wide, setWide] = useState(false);
  const [keys, setKeys] = useState(false);
  const [finding, setFinding] = useState(false);
  const [flicking, setFlicking] = useState(false);
  const openTray = useRef(() => setFlicking(true));
  useFirstExposure();
  useDrops(openTray.current);

  useEffect(() => {
    const { open, close, settle, notify, clearView } = useBench.getState();
    if (record.data && open(record.data)) notify(t("Unsaved changes from last time are back."));
    return () => {
      settle();
      saveNow();
      close();
      clearView();
      useComparing.getState().compare(null);
    };
  }, [record.data]);

  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const {
        undo,
        redo,
        select,
        setDragging,
        picking,
        pick,
        choice,
        offer,
        dragging,
        cutting,
        setBaking,
        setCutting,
        framing,
        drawFrame,
      } = useBench.getState();
      if (!isForBench(e)) return;
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && !isUnentered(e)) {
        e.preventDefault();
        if (e.shiftKey) redo();
        else undo();
      }
      // What was typed and not entered is given up first.
      const leaves = e.key === "Escape" && !isUnentered(e);
      if ((isTyping(e) && !leaves) || e.ctrlKey || e.metaKey || e.altKey) return;
      // Escape closes what came last, and nothing else.
      const close = () => {
        if (cutting) {
          setCutting(null);
          setBaking(cutting);
        } else if (picking) pick(null);
        else if (framing) drawFrame(null);
        else if (choice) offer(null);
        else if (flicking) setFlicking(false);
        else if (finding) setFinding(false);
        else if (dragging) setDragging(false);
        else if (useComparing.getState().pin) useComparing.getState().compare(null);
        else if (useLooking.getState().keeping) useLooking.getState().turn("keeping");
        else select(null);
      };
      const looking = useLooking.getState();
      const actions: Record<string, () => void> = {
        Escape: close,
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
        g: () => setDragging(!dragging),
        "?": () => setKeys(true),
        p: () => looking.turn("panorama"),
        t: () => looking.turn("falseColour"),
        c: () => looking.turn("clipped"),
        l: () => looking.turn("levels"),
        k: () => looking.keepReading(),
        n: () => void pinNow(),
      };
      actions[e.key]?.();
    };
    // Before anything that is open: it would be closed by the time others are asked.
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [flicking, finding]);

  if (record.isError || schema.isError)
    return (
      <main className="p-8">
        <p role="alert">{String((record.error ?? schema.error)?.message)}</p>
        <div className="mt-3 flex gap-2">
          <Button
            onClick={() => {
              void record.refetch();
              void schema.refetch();
            }}
          >
            {t("Try again")}
          </Button>
          <Button onClick={() => go("/")}>{t("Back to the skies")}</Button>
        </div>
      </main>
    );
  if (!sky || !schema.data) return <main className="p-8 text-quiet">{t("Opening…")}</main>;
  const commands = commandsOf({
    bake: () => useBench.getState().setBaking(newDraft()),
    starters: () => setFlicking(true),
    keys: () => setKeys(true),
    wide: () => setWide((v) => !v),
    go,
  });
  return (
    <div className="relative flex h-full min-h-[560px] min-w-[1080px] flex-col">
      <Bar
        onBake={() => useBench.getState().setBaking(newDraft())}
        onKeys={() => setKeys(true)}
        onFind={() => setFinding((v) => !v)}
        onStarters={() => setFlicking((v) => !v)}
      />
      <div className="flex min-h-0 flex-1">
        {!wide && <Section sky={sky} usual={(schema.data as Schema).usual} />}
        <Columns sheet={!wide && !flicking && <OpenSheet schema={schema.data as Schema} />}>
          {!wide && (
            <div className="flex shrink-0 border-b border-line">
              <Overhead sky={sky} />
              <Day sky={sky} />
            </div>
          )}
          {!wide && <Meter />}
          <Picture handles={handles} />
          <CompareBar />
          <Choices sky={sky} />
        </Columns>
        {finding && (
          <Find
            sky={sky}
            schema={schema.data as Schema}
            commands={commands}
            onClose={() => setFinding(false)}
          />
        )}
        {flicking && <Starters onClose={() => setFlicking(false)} />}
      </div>
      <NoticeLine>
        <SaveState />
      </NoticeLine>
      {baking && <BenchBake draft={baking} />}
      {cutting && (
        <p
          role="status"
          data-testid="cutting"
          className={
            "fixed bottom-10 left-1/2 z-30 -translate-x-1/2 rounded-soft border border-line bg-panel " +
            "px-4 py-2 shadow-float"
          }
        >
          {t("Click on the cloud to take.")}{" "}
          <Button weight="quiet" onClick={() => useBench.getState().setBaking(cutting)}>
            {t("Cancel")}
          </Button>
        </p>
      )}
      {keys && <Shortcuts onClose={() => setKeys(false)} />}
    </div>
  );
}

/** The dialog for the sky on the Bench, as it is now. */
function BenchBake({ draft }: { draft: BakeDraft }) {
  const { record, sky, setBaking, setCutting, notify } = useBench.getState();
  if (!record || !sky) return null;
  return (
    <BakeDialog
      source={{ sky, name: record.name, skyId: record.id }}
      draft={draft}
      onDraft={setBaking}
      onCut={setCutting}
      onAsked={(made) =>
        notify(t("The bake of “{{name}}” is in the queue.", { name: made.name }), {
          words: t("Bakes"),
          run: () => go("/bakes"),
        })
      }
      onClose={() => setBaking(null)}
    />
  );
}

/** An empty sky opens once at the suggested exposure; after that nothing moves it but the hand. */
function useFirstExposure() {
  const suggested = useBench((s) => s.readouts?.suggested_ev100);
  useEffect(() => {
    if (suggested === undefined || location.hash !== FRESH) return;
    history.replaceState(null, "", location.pathname);
    useBench.getState().change((s) => {
      s.grade.ev100 = Math.round(suggested * 10) / 10;
    });
  }, [suggested]);
}

/** The layer below the selected one, or the highest; where there is none, the place to add one. */
function nextLayer(): Selection {
  const { sky, selection } = useBench.getState();
  const layers = sky ? fromTheTop(sky) : [];
  const next = layers[layers.findIndex((l) => selectionOf(l) === selection) + 1] ?? layers[0];
  return next ? selectionOf(next) : "clouds";
}

/** What is selected, if the sky has it. */
const useSelection = () =>
  useBench((s) => {
    const sky = shownSky(s);
    return sky && s.selection && hasSelected(sky, s.selection) ? s.selection : null;
  });

function OpenSheet({ schema }: { schema: Schema }) {
  const sky = useBench(shownSky);
  const selection = useSelection();
  return sky && selection ? <Sheet key={selection} selection={selection} sky={sky} schema={schema} /> : null;
}

/** Narrowest, usual and widest sheet, pixels. */
const SHEET = { narrow: 248, usual: 290, wide: 460 };

/** The Sheet in a column of its own, as wide as it was left; without it there is no column. */
function Columns({ sheet, children }: { sheet: React.ReactNode; children: React.ReactNode }) {
  const selection = useSelection();
  const open = sheet !== false && selection !== null;
  const layout = useDefaultLayout({
    id: "tenter:bench",
    panelIds: open ? ["sheet-column", "picture-column"] : ["picture-column"],
    onlySaveAfterUserInteractions: true,
    storage: localStorage,
  });
  return (
    <Group {...layout} orientation="horizontal" className="min-w-0 flex-1">
      {open && (
        <>
          <Panel
            id="sheet-column"
            minSize={SHEET.narrow}
            defaultSize={SHEET.usual}
            maxSize={SHEET.wide}
            groupResizeBehavior="preserve-pixel-size"
          >
            <aside aria-label={t("Sheet")} className="unfold flex h-full flex-col bg-panel">
              {sheet}
            </aside>
          </Panel>
          <Separator
            aria-label={t("Width of the sheet")}
            className="w-[5px] border-x border-line bg-panel hover:bg-raised focus-visible:bg-accent-light"
          />
        </>
      )}
      <Panel id="picture-column" minSize={360}>
        <main className="flex h-full flex-col">{children}</main>
      </Panel>
    </Group>
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
  const { undo, redo, select } = useBench.getState();
  const record = useBench((s) => s.record);
  const past = useBench((s) => s.past.length);
  const moving = useBench((s) => s.before !== null);
  const future = useBench((s) => s.future.length);
  return (
    <header className="flex h-9 shrink-0 items-center gap-2 border-b border-line bg-bench px-2">
      <Button weight="quiet" onClick={() => go("/")}>
        {t("Skies")}
      </Button>
      <h1 className="truncate text-large">{record?.name}</h1>
      <Button weight="quiet" onClick={undo} disabled={past === 0 && !moving}>
        {t("Undo")}
      </Button>
      <Button weight="quiet" onClick={redo} disabled={future === 0}>
        {t("Redo")}
      </Button>
      <Button weight="quiet" onClick={() => select("history")}>
        {t("History")}
      </Button>
      <Button weight="quiet" onClick={() => select("pins")}>
        {t("Pins")}
      </Button>
      <span className="flex-1" />
      <span className="relative">
        <Button weight="quiet" onClick={onFind}>
          {t("Find")}
        </Button>
        <FirstHint name="find" className="top-8 right-0" />
      </span>
      <Button weight="quiet" onClick={onStarters}>
        {t("Starters")}
      </Button>
      <Button weight="quiet" onClick={onKeys}>
        {t("Keys")}
      </Button>
      <Button weight="quiet" onClick={() => go("/bakes")}>
        {t("Bakes")}
      </Button>
      <Button weight="main" onClick={onBake}>
        {t("Bake…")}
      </Button>
    </header>
  );
}

function SaveState() {
  const saving = useBench((s) => s.saving);
  const said = {
    saved: t("saved"),
    unsaved: t("saving…"),
    away: t("The server is away: your changes are kept here and saved when it is back."),
    stale: "",
    refused: "",
  }[saving.state];
  const fault =
    saving.state === "refused"
      ? saving.problems.map((p) => `${p.path}: ${p.message}`).join("; ") || saving.message
      : "";
  return (
    <p data-testid="saving" data-state={saving.state} role="status" className="shrink-0 text-quiet">
      {fault ? t("Not saved: {{fault}}", { fault }) : said}
      {saving.state === "stale" && (
        <>
          <span title={saving.conflicts.map(fieldName).join("; ")}>
            {t("Changed here and elsewhere: ")}
            {fieldName(saving.conflicts[0] ?? { path: [] })}
            {saving.conflicts.length > 1 && t(" and {{value}} more", { value: saving.conflicts.length - 1 })}.
          </span>{" "}
          <Button onClick={() => resolveConflicts(true)}>{t("Keep mine")}</Button>{" "}
          <Button onClick={() => resolveConflicts(false)}>{t("Take theirs")}</Button>
        </>
      )}
    </p>
  );
}
