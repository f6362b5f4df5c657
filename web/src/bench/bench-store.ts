import { create } from "zustand";
import { api, Refusal, type Problem, type SkyRecord } from "../data/api";
import type { CloudLayer, Sky } from "../data/sky";
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
  | { state: "stale" }
  | { state: "refused"; problems: Problem[]; message: string };

type BenchState = {
  record: SkyRecord | null;
  /** The document as it is shown; always a copy of its own. */
  sky: Sky | null;
  past: Sky[];
  future: Sky[];
  /** The document before the hand began to move, while it does. */
  before: Sky | null;
  saving: Saving;
  part: Part | null;
  shot: Shot | null;
  note: string | null;
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
  say: (note: string | null) => void;
  carry: (colour: Rgb) => void;
  pick: (then: ((light: Rgb) => void) | null) => void;
  offer: (choice: Choice | null) => void;
  grasp: (grasping: boolean) => void;
};

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

const sameAs = (a: Sky, b: Sky) => JSON.stringify(a) === JSON.stringify(b);

export const useBench = create<BenchState>((set, get) => ({
  record: null,
  sky: null,
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
    const kept = keptChange(record.id);
    const restored = kept && kept.revision === record.revision && !sameAs(kept.sky, record.document);
    set({
      record,
      sky: restored ? kept.sky : record.document,
      past: restored ? [record.document] : [],
      future: [],
      before: null,
      saving: { state: restored ? "unsaved" : "saved" },
      part: null,
      note: restored ? "Unsaved changes from last time are back." : null,
    });
    if (restored) scheduleSave(0);
  },
  close: () =>
    set({ record: null, sky: null, shot: null, part: null, note: null, picking: null, choice: null }),
  change: (edit, moving = false) => {
    const { sky, before, past } = get();
    if (!sky) return;
    const next = structuredClone(sky);
    edit(next);
    if (sameAs(sky, next)) return;
    if (moving) set({ sky: next, before: before ?? sky });
    else set({ sky: next, before: null, past: [...past, before ?? sky], future: [] });
    set({ saving: { state: "unsaved" } });
    keepChange(get());
    scheduleSave();
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
    set({
      sky: last,
      past: past.slice(0, -1),
      future: [sky, ...future],
      saving: { state: "unsaved" },
      note: null,
    });
    keepChange(get());
    scheduleSave();
  },
  redo: () => {
    const { past, future, sky } = get();
    const next = future[0];
    if (!next || !sky) return;
    set({ sky: next, past: [...past, sky], future: future.slice(1), saving: { state: "unsaved" } });
    keepChange(get());
    scheduleSave();
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
  say: (note) => set({ note }),
  carry: (carried) => set({ carried }),
  pick: (picking) => set({ picking }),
  offer: (choice) => set({ choice }),
  grasp: (grasping) => set({ grasping }),
}));

const keyOf = (id: string) => `tenter:unsaved:${id}`;

function keptChange(id: string): { revision: number; sky: Sky } | null {
  try {
    return JSON.parse(localStorage.getItem(keyOf(id)) ?? "null");
  } catch {
    return null;
  }
}

function keepChange({ record, sky }: { record: SkyRecord | null; sky: Sky | null }) {
  if (record && sky)
    localStorage.setItem(keyOf(record.id), JSON.stringify({ revision: record.revision, sky }));
}

let timer: ReturnType<typeof setTimeout> | undefined;
let running = false;

/** Saves soon, or again after a while when the database is away. */
function scheduleSave(after = 500) {
  clearTimeout(timer);
  timer = setTimeout(() => void save(), after);
}

async function save() {
  const { record, sky, setSaving } = useBench.getState();
  if (!record || !sky || running) return running ? scheduleSave() : undefined;
  running = true;
  try {
    const { revision } = await api.save(record.id, record.revision, sky);
    const now = useBench.getState();
    if (now.record?.id !== record.id) return;
    useBench.setState({ record: { ...record, revision, document: sky } });
    if (now.sky && sameAs(now.sky, sky)) {
      localStorage.removeItem(keyOf(record.id));
      setSaving({ state: "saved" });
    } else {
      keepChange(useBench.getState());
      scheduleSave();
    }
  } catch (e) {
    if (!(e instanceof Refusal) || e.isAway) {
      setSaving({ state: "away" });
      scheduleSave(2000);
    } else if (e.status === 409) setSaving({ state: "stale" });
    else setSaving({ state: "refused", problems: e.problems, message: e.message });
  } finally {
    running = false;
  }
}

/** After someone else changed the sky: keep what is on this Bench, or take what is stored. */
export async function resolveStale(keepMine: boolean) {
  const { record, sky, past, part } = useBench.getState();
  if (!record || !sky) return;
  const stored = await api.sky(record.id);
  localStorage.removeItem(keyOf(record.id));
  if (keepMine) {
    useBench.setState({ record: { ...stored, document: sky } });
    scheduleSave(0);
  } else {
    useBench.getState().open(stored);
    // The own version is one step back, and the Sheet stays open.
    useBench.setState({ past: [...past, sky], part });
  }
}
