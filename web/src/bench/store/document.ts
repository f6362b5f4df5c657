/** The document of the open sky, with undo. */

import type { StateCreator } from "zustand";
import type { Problem, SkyRecord } from "../../data/api";
import { changesOf, type Change } from "../../data/changes";
import type { Sky } from "../../data/sky";
import { recallHistory } from "./history";
import { restored } from "./unsaved";

export type Saving =
  | { state: "saved" }
  | { state: "unsaved" }
  | { state: "away" }
  /** Fields changed here and elsewhere, as they were changed here; and what both were changed from. */
  | { state: "stale"; conflicts: Change[]; base: Sky }
  | { state: "refused"; problems: Problem[]; message: string };

export type DocumentState = {
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
  /** Whether changes that could not be saved last time came back. */
  open: (record: SkyRecord) => boolean;
  close: () => void;
  /** Changes the document; while the hand moves, all changes are one step of undo. */
  change: (edit: (sky: Sky) => void, moving?: boolean) => void;
  /** The hand has let go. */
  settle: () => void;
  undo: () => void;
  redo: () => void;
  /** Goes so many steps back, or on. */
  step: (steps: number) => void;
  setSaving: (saving: Saving) => void;
  /** Shows another document in the place of the own one, or that again. */
  showPreview: (preview: Sky | null) => void;
  /** Takes what is looked at into the document, as one step of undo. */
  keepPreview: () => void;
};

/** The document that the instruments show. */
export const shownSky = ({ sky, preview }: { sky: Sky | null; preview: Sky | null }) => preview ?? sky;

const sameAs = (a: Sky, b: Sky) => changesOf(a, b).length === 0;

const closed = {
  record: null,
  sky: null,
  preview: null,
  past: [],
  future: [],
  before: null,
  saving: { state: "saved" },
} satisfies Partial<DocumentState>;

export const documentState: StateCreator<DocumentState> = (set, get) => {
  /** Sets a changed document. A conflict waits for its answer. */
  const setChanged = (state: Partial<DocumentState>) =>
    set({ ...state, ...(get().saving.state !== "stale" && { saving: { state: "unsaved" } }) });
  return {
    ...closed,
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
      });
      return changed;
    },
    close: () => set(closed),
    change: (edit, moving = false) => {
      // Who changes what is looked at keeps it.
      if (get().preview) get().keepPreview();
      const { sky, before, past } = get();
      if (!sky) return;
      const next = structuredClone(sky);
      edit(next);
      if (sameAs(sky, next)) return;
      if (moving) setChanged({ sky: next, before: before ?? sky });
      else setChanged({ sky: next, before: null, past: [...past, before ?? sky], future: [] });
    },
    showPreview: (preview) => {
      get().settle();
      set({ preview });
    },
    keepPreview: () => {
      const { sky, preview, past } = get();
      if (!sky || !preview) return;
      set({ preview: null });
      if (sameAs(sky, preview)) return;
      setChanged({ sky: preview, past: [...past, sky], future: [] });
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
      setChanged({ sky: last, preview: null, past: past.slice(0, -1), future: [sky, ...future] });
    },
    redo: () => {
      const { past, future, sky } = get();
      const next = future[0];
      if (!next || !sky) return;
      setChanged({ sky: next, preview: null, past: [...past, sky], future: future.slice(1) });
    },
    step: (steps) => {
      for (let i = 0; i < Math.abs(steps); i++) {
        if (steps < 0) get().undo();
        else get().redo();
      }
    },
    setSaving: (saving) => set({ saving }),
  };
};
