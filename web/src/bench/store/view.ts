/** What the Bench shows of the open sky: the selection, the last frame, and what the hands are about. */

import type { StateCreator } from "zustand";
import type { BakeDraft } from "../../data/bakes";
import type { Sky } from "../../data/sky";
import { clearNotice, tell, type Notice } from "../../ui/notices";
import type { Readouts } from "../../data/measures";
import type { Overhead, PreviewFrame } from "../preview/preview-socket";
import type { Selection } from "./selection";

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

/** A part of the Picture, in shares from its upper left. */
export type Frame = { left: number; right: number; top: number; bottom: number };

export type ViewState = {
  selection: Selection | null;
  frame: PreviewFrame | null;
  /** The last readings, of this frame or of one before it. */
  readouts: Readouts | null;
  overhead: Overhead | null;
  /** The request that the readings are of. */
  readoutsOf: number;
  /** A colour on its way from one row to another, linear. */
  carried: Rgb | null;
  /** Whether a hand on the Picture drags the selected layer's clouds. */
  dragging: boolean;
  /** Several ways the sky could be, offered as pictures. */
  choice: Choice | null;
  /** The bake that is being thought about, in its dialog. */
  baking: BakeDraft | null;
  /** The bake that waits for a cloud to be clicked in the Picture. */
  cutting: BakeDraft | null;
  /** Who gets the colour of the next place that is clicked in the Picture. */
  picking: ((light: Rgb) => void) | null;
  /** Who gets the next rectangle that is drawn in the Picture. */
  framing: ((frame: Frame) => void) | null;
  select: (selection: Selection | null) => void;
  /** Takes a picture, or readings. */
  setFrame: (frame: PreviewFrame) => void;
  /** Tells what was done, and what can be done about it; nothing takes it back. */
  notify: (words: string | null, act?: Notice["act"]) => void;
  carry: (colour: Rgb) => void;
  pick: (then: ((light: Rgb) => void) | null) => void;
  drawFrame: (then: ((frame: Frame) => void) | null) => void;
  offer: (choice: Choice | null) => void;
  setDragging: (dragging: boolean) => void;
  setBaking: (baking: BakeDraft | null) => void;
  setCutting: (cutting: BakeDraft | null) => void;
  /** Forgets all that belongs to the sky that was open. */
  clearView: () => void;
};

/** Key of what the Bench tells. */
export const NOTICE = "bench";

const cleared = {
  selection: null,
  frame: null,
  readouts: null,
  overhead: null,
  readoutsOf: 0,
  carried: null,
  dragging: false,
  choice: null,
  picking: null,
  framing: null,
  baking: null,
  cutting: null,
} satisfies Partial<ViewState>;

export const viewState: StateCreator<ViewState> = (set) => ({
  ...cleared,
  // Another layer is not dragged by accident.
  select: (selection) => set({ selection, dragging: false }),
  setFrame: (frame) => {
    const { readouts, overhead, number } = frame;
    set(frame.stage === "readings" ? { readouts, overhead, readoutsOf: number } : { frame });
  },
  notify: (words, act) => (words === null ? clearNotice(NOTICE) : tell({ key: NOTICE, words, act })),
  carry: (carried) => set({ carried }),
  pick: (picking) => set({ picking }),
  drawFrame: (framing) => set({ framing }),
  offer: (choice) => set({ choice }),
  setDragging: (dragging) => set({ dragging }),
  setBaking: (baking) => set({ baking }),
  setCutting: (cutting) => set({ cutting, baking: null }),
  clearView: () => {
    clearNotice(NOTICE);
    set(cleared);
  },
});
