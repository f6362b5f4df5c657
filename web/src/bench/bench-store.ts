import { create } from "zustand";
import type { Problem, SkyRecord } from "../data/api";
import { changesOf, type Change } from "../data/changes";
import type { CloudLayer, Sky } from "../data/sky";
import { keepChange, restored, saveNow, scheduleSave } from "./autosave";
import { keepHistory, recallHistory } from "./history";
import type { Shot } from "./live";

/** What can be selected in the Section. */
export type Part =
  "place" | Sun | "moon" | "source" | "air" | "fog" | "clouds" | Layer | "drift" | "land" | "eye" | "grade";
/** A cloud layer by its id; "clouds" is where layers are added. */
type Layer = `layer-${string}`;
type Sun = `sun${0 | 1 | 2 | 3}`;

/** Which of the suns a part is. */
export const sunOf = (part: Part | null): number | null =>
  part?.startsWith("sun") ? Number(part.slice(3)) : null;

/** Place of the cloud layer that a part is in the document, -1 where it is none. */
export const layerOf = (part: Part | null, sky: Sky): number =>
  part?.startsWith("layer-") ? sky.clouds.findIndex((l) => `layer-${l.id}` === part) : -1;

/** Whether a sky has what is selected: other clouds and suns may have taken its place. */
export const hasPart = (sky: Sky, part: Part): boolean => {
  const sun = sunOf(part);
  if (sun !== null) return sun === 0 || sun < sky.suns.length;
  return !part.startsWith("layer-") || layerOf(part, sky) >= 0;
};

export const partOf = (layer: CloudLayer): Part => `layer-${layer.id}`;

export type Saving =
  | { state: "saved" }
  | { state: "unsaved" }
  | { state: "away" }
  /** Fields changed here and elsewhere, as they were changed here; and what both were changed from. */
  | { state: "stale"; conflicts: Change[]; base: Sky }
  | { state: "refused"; problems: Problem[]; message: string };

type BenchState = {
  record: SkyRecord | null;
  /** The document as it is shown; always a copy of its own. */
  sky: Sky | null;
  /** What is only looked at: it is no part of document, history or saving until it is kept. */
  preview: Sky | null;
  past: Sky[];
  future: Sky[];
  /** The document before the hand began to move, while it does. */
  before: Sky | null;
  saving: Saving;
  part: Part | null;
  shot: Shot | null;
  note: Note | null;
  /** A colour on its way from one row to another, linear. */
  carried: Rgb | null;
  /** Whether a hand on the Picture takes hold of the selected layer's clouds. */
  grasping: boolean;
  /** Several ways the sky could be, offered as pictures. */
  choice: Choice | null;
  /** Who gets the colour of the next place that is clicked in the Picture. */
  picking: ((light: Rgb) => void) | null;
  open: (record: SkyRecord) => void;
  close: () => void;
  /** Changes the document; while the hand moves, all changes are one step of undo. */
  change: (edit: (sky: Sky) => void, moving?: boolean) => void;
  /** The hand has let go. */
  settle: () => void;
  undo: () => void;
  redo: () => void;
  select: (part: Part | null) => void;
  setSaving: (saving: Saving) => void;
  setShot: (shot: Shot) => void;
  say: (words: string | null, link?: Note["link"]) => void;
  /** Shows another document in the place of the own one, or that again. */
  look: (preview: Sky | null) => void;
  /** Takes what is looked at into the document, as one step of undo. */
  keepPreview: () => void;
  carry: (colour: Rgb) => void;
  pick: (then: ((light: Rgb) => void) | null) => void;
  offer: (choice: Choice | null) => void;
  grasp: (grasping: boolean) => void;
};

/** What the bar says, and where it leads. */
export type Note = { words: string; link?: { words: string; path: string } | undefined };

/** The document that the instruments show. */
export const shownSky = ({ sky, preview }: { sky: Sky | null; preview: Sky | null }) => preview ?? sky;

/** Ways to change a document, to be chosen from as pictures. */
export type Choice = {
  title: string;
  /** What there is to say about all of them. */
  note?: string | undefined;
  options: { label: string; edit: (sky: Sky) => void; now?: boolean }[];
  /** Other ways, and what asking for them is called. */
  more?: { words: string; next: () => Choice };
};

export type Rgb = [number, number, number];

const sameAs = (a: Sky, b: Sky) => changesOf(a, b).length === 0;

export const useBench = create<BenchState>((set, get) => ({
  record: null,
  sky: null,
  preview: null,
  past: [],
  future: [],
  before: null,
  saving: { state: "saved" },
  part: null,
  shot: null,
  note: null,
  carried: null,
  picking: null,
  choice: null,
  grasping: false,
  open: (record) => {
    // What could not be saved before the page was closed is still here.
    const { sky, conflicts, changed, base } = restored(record);
    const history = recallHistory(record.id, sky);
    const past = changed && history.past.length === 0 ? [record.document] : history.past;
    const saving: Saving =
      conflicts.length > 0 ? { state: "stale", conflicts, base } : { state: changed ? "unsaved" : "saved" };
    set({
      record,
      sky,
      preview: null,
      past,
      future: history.future,
      before: null,
      saving,
      part: null,
      note: changed ? { words: "Unsaved changes from last time are back." } : null,
    });
    if (saving.state === "unsaved") scheduleSave(0);
  },
  close: () => {
    get().settle();
    saveNow();
    set({
      record: null,
      sky: null,
      preview: null,
      past: [],
      future: [],
      shot: null,
      part: null,
      note: null,
      picking: null,
      choice: null,
    });
  },
  change: (edit, moving = false) => {
    // Who changes what is looked at keeps it.
    if (get().preview) get().keepPreview();
    const { sky, before, past } = get();
    if (!sky) return;
    const next = structuredClone(sky);
    edit(next);
    if (sameAs(sky, next)) return;
    if (moving) set({ sky: next, before: before ?? sky });
    else set({ sky: next, before: null, past: [...past, before ?? sky], future: [] });
    changed(get, set);
  },
  look: (preview) => {
    get().settle();
    set({ preview });
  },
  keepPreview: () => {
    const { sky, preview, past } = get();
    if (!sky || !preview) return;
    set({ preview: null });
    if (sameAs(sky, preview)) return;
    set({ sky: preview, past: [...past, sky], future: [] });
    changed(get, set);
  },
  settle: () => {
    const { before, past, sky } = get();
    if (!before) return;
    if (sky && sameAs(before, sky)) set({ before: null });
    else set({ before: null, past: [...past, before], future: [] });
  },
  undo: () => {
    get().settle();
    const { past, future, sky } = get();
    const last = past.at(-1);
    if (!last || !sky) return;
    set({ sky: last, preview: null, past: past.slice(0, -1), future: [sky, ...future], note: null });
    changed(get, set);
  },
  redo: () => {
    const { past, future, sky } = get();
    const next = future[0];
    if (!next || !sky) return;
    set({ sky: next, preview: null, past: [...past, sky], future: future.slice(1) });
    changed(get, set);
  },
  // Another layer is not grasped by accident.
  select: (part) => set({ part, grasping: false }),
  setSaving: (saving) => set({ saving }),
  setShot: (shot) =>
    set(({ shot: last }) => ({
      shot: shot.readouts
        ? shot
        : { ...shot, readouts: last?.readouts ?? null, overhead: last?.overhead ?? null },
    })),
  say: (words, link) => set({ note: words === null ? null : { words, link } }),
  carry: (carried) => set({ carried }),
  pick: (picking) => set({ picking }),
  offer: (choice) => set({ choice }),
  grasp: (grasping) => set({ grasping }),
}));

/** After each change: kept in the browser at once, saved soon. A conflict waits for its answer. */
function changed(get: () => BenchState, set: (state: Partial<BenchState>) => void) {
  if (get().saving.state !== "stale") set({ saving: { state: "unsaved" } });
  keepChange(get());
  scheduleSave();
}

let historyTimer: ReturnType<typeof setTimeout> | undefined;
useBench.subscribe((now, before) => {
  if (!now.record || (now.past === before.past && now.future === before.future)) return;
  clearTimeout(historyTimer);
  historyTimer = setTimeout(() => {
    const { record, sky, past, future } = useBench.getState();
    if (record && sky) keepHistory(record.id, sky, { past, future });
  }, 300);
});
